/* A partner of Deep Stride in C: water let out of a leaky reservoir. Lines of JSON come in on standard input, one goes
 * out for each: see docs/partners.md. It reads just the messages that this kernel gets.
 *   cc -O2 -o route route.c -lm */
#define _POSIX_C_SOURCE 200809L
#include <math.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <time.h>

static double now(void) {
  struct timespec t;
  clock_gettime(CLOCK_MONOTONIC, &t);
  return t.tv_sec + 1e-9 * t.tv_nsec;
}

/* The numbers after `"name":`, one or an array of them; how many. */
static size_t numbers(const char *line, const char *name, double **values) {
  const char *at = strstr(line, name);
  size_t n = 0, room = 1024;
  *values = malloc(room * sizeof(double));
  if (!at || !*values) return 0;
  at = strchr(at, ':') + 1;
  while (*at == ' ') ++at;
  const int many = *at == '[';
  if (many) ++at;
  while (*at && *at != ']' && *at != '}') {
    char *end;
    while (*at == ' ') ++at;
    const int quoted = *at == '"';
    double value = strtod(at + quoted, &end); /* "Inf" and "NaN" come as text */
    if (!strncmp(at, "null", 4)) {
      value = NAN; /* R's NA */
      end = (char *) at + 4;
    }
    if (end == at + quoted) break;
    if (quoted) ++end;
    if (n == room) *values = realloc(*values, (room *= 2) * sizeof(double));
    (*values)[n++] = value;
    at = *end == ',' && many ? end + 1 : end;
    if (!many) break;
  }
  return n;
}

int main(void) {
  char *line = NULL;
  size_t room = 0;
  while (getline(&line, &room, stdin) > 0) {
    if (strstr(line, "\"hello\"")) {
      puts("{\"hello\": 1}");
    } else {
      double *call, *rain, *keep;
      numbers(line, "\"call\"", &call);
      const size_t n = numbers(line, "\"rain\"", &rain);
      if (numbers(line, "\"keep\"", &keep) != 1) {
        printf("{\"call\": %.0f, \"error\": \"keep must be one number\"}\n", call[0]);
      } else {
        const double start = now();
        double store = 0;
        for (size_t i = 0; i < n; ++i) {
          store = keep[0] * store + rain[i];
          rain[i] = (1 - keep[0]) * store;
        }
        const double seconds = now() - start;
        printf("{\"call\": %.0f, \"seconds\": %.9f, \"result\": [", call[0], seconds);
        for (size_t i = 0; i < n; ++i) {
          if (i) putchar(',');
          if (isfinite(rain[i])) printf(rain[i] == 0 ? "%.1f" : "%.17g", rain[i]);
          else fputs(isnan(rain[i]) ? "\"NaN\"" : rain[i] > 0 ? "\"Inf\"" : "\"-Inf\"", stdout);
        }
        puts("]}");
      }
      free(call);
      free(rain);
      free(keep);
    }
    fflush(stdout);
  }
  free(line);
  return 0;
}
