// One call of a compiled kernel: finds the routine for the types of the arguments and
// runs it; where there is none, or it falls back, it gives FALSE, and the body of the function itself follows.
// No C++ object lives here: errors and interrupts jump.
#ifdef _WIN32
#include <malloc.h>
#else
#include <alloca.h>
#endif
#include <chrono>
#include <cstdint>
#include <cstring>
#include <string>
#define R_NO_REMAP
#include <R.h>
#include <Rinternals.h>
#include <R_ext/Rdynload.h>
#ifndef _WIN32
#include <dlfcn.h>
#endif

namespace {

typedef SEXP (*kernel_routine)(SEXP*, int*);

// DS_PAST_END and DS_MISSING of kernel.h
const SEXP past_end = reinterpret_cast<SEXP>(1);
const SEXP missing_met = reinterpret_cast<SEXP>(2);

// Is what a kernel gives no object but a message of kernel.h?
inline bool is_message(SEXP value) { return reinterpret_cast<uintptr_t>(value) < 4096; }

// A field of an environment, by a symbol that is looked up once.
#define FIELD(env, name) ([](SEXP of) { static SEXP symbol = Rf_install(name); return Rf_findVarInFrame(of, symbol); }(env))

// Fields of a routine, as new_routine() makes it.
enum { r_code, r_address, r_outside, r_trusted, r_risky, r_random, r_lines, r_reads, r_waits };

// What is known of the arguments, as new_state() makes it.
enum { t_symbols, t_certain, t_bare, t_series };

// The code of one argument, as type_code() has it, into `code`; false where it has none: "~" has attributes
// that kernels don't keep (and that matter: of one that is taken `bare` they don't, but for its class; of a
// time series that does not matter where `series` says so), "?" is of another kind.
bool type_of(SEXP value, char* code, bool bare = false, bool series = false) {
  code[0] = '?';
  if (TYPEOF(value) == VECSXP) {  // a list, by the parts of which only the kernel can tell
    const bool plain = ATTRIB(value) == R_NilValue || (TAG(ATTRIB(value)) == R_NamesSymbol && CDR(ATTRIB(value)) == R_NilValue);
    if (OBJECT(value) || !plain) return false;
    SEXP first = XLENGTH(value) > 0 ? VECTOR_ELT(value, 0) : R_NilValue;
    code[0] = 'v';
    code[1] = TYPEOF(first) == REALSXP ? 'd' : TYPEOF(first) == INTSXP ? 'i' : TYPEOF(first) == LGLSXP ? 'l' : TYPEOF(first) == CPLXSXP ? 'z' : TYPEOF(first) == STRSXP ? 't' : '0';
    return true;
  }
  switch (TYPEOF(value)) {
    case REALSXP: code[0] = 'd'; break;
    case INTSXP: code[0] = 'i'; break;
    case LGLSXP: code[0] = 'l'; break;
    case CPLXSXP: code[0] = 'z'; break;
    case STRSXP: code[0] = 't'; break;
    default: return false;
  }
  int rank = XLENGTH(value) == 1 ? 0 : 1;
  bare = bare && (!OBJECT(value) || (series && Rf_inherits(value, "ts")));
  for (SEXP at = ATTRIB(value); at != R_NilValue; at = CDR(at)) {
    if (bare && TAG(at) != R_DimSymbol) continue;
    if (TAG(at) != R_DimSymbol) { code[0] = OBJECT(value) ? '?' : '~'; return false; }
    rank = Rf_length(CAR(at));
    if (rank < 2 || rank > 30) return false;
  }
  code[1] = static_cast<char>(rank > 9 ? 'a' + rank - 10 : '0' + rank);
  return true;
}

// Of a list only the kernel can tell what its names do.
bool has_names(SEXP value) {
  if (TYPEOF(value) == VECSXP) return false;
  for (SEXP at = ATTRIB(value); at != R_NilValue; at = CDR(at)) {
    if (TAG(at) != R_DimSymbol) return true;
  }
  return false;
}

// A copy of a vector, a matrix or an array with its extents alone.
SEXP without_names(SEXP value) {
  const R_xlen_t n = XLENGTH(value);
  SEXP made = PROTECT(Rf_allocVector(TYPEOF(value), n));
  switch (TYPEOF(value)) {
    case REALSXP: if (n > 0) memcpy(REAL(made), REAL(value), n * sizeof(double)); break;
    case INTSXP: if (n > 0) memcpy(INTEGER(made), INTEGER(value), n * sizeof(int)); break;
    case LGLSXP: if (n > 0) memcpy(LOGICAL(made), LOGICAL(value), n * sizeof(int)); break;
    case CPLXSXP: if (n > 0) memcpy(COMPLEX(made), COMPLEX(value), n * sizeof(Rcomplex)); break;
    default: for (R_xlen_t i = 0; i < n; ++i) SET_STRING_ELT(made, i, STRING_ELT(value, i));
  }
  SEXP extents = Rf_getAttrib(value, R_DimSymbol);
  if (extents != R_NilValue) Rf_setAttrib(made, R_DimSymbol, extents);
  UNPROTECT(1);
  return made;
}

// `..1`, `..2`: an argument behind `...`.
bool is_of_dots(SEXP symbol) {
  const char* name = CHAR(PRINTNAME(symbol));
  return name[0] == '.' && name[1] == '.' && name[2] >= '1' && name[2] <= '9';
}

// The function that a name means in an environment; NULL where there is none.
SEXP function_of(SEXP symbol, SEXP env) {
  if (is_of_dots(symbol)) {
    SEXP value = Rf_eval(symbol, env);
    return Rf_isFunction(value) ? value : NULL;
  }
  bool cached = false;
  while (env != R_EmptyEnv) {
    SEXP value;
    if (env == R_GlobalEnv && !cached) {
      cached = true;
      value = Rf_findVar(symbol, env);  // by way of R's cache of global names
      if (value != R_UnboundValue && TYPEOF(value) == PROMSXP) value = Rf_eval(value, env);
      if (value != R_UnboundValue && Rf_isFunction(value)) return value;
    }
    value = Rf_findVarInFrame3(env, symbol, TRUE);
    if (value != R_UnboundValue) {
      if (TYPEOF(value) == PROMSXP) value = Rf_eval(value, env);
      if (Rf_isFunction(value)) return value;
    }
    env = ENCLOS(env);
  }
  return NULL;
}

// Where a name's binding is found; R_EmptyEnv where there is none.
SEXP place_of(SEXP name, SEXP env) {
  while (env != R_EmptyEnv && !R_existsVarInFrame(env, name)) env = ENCLOS(env);
  return env;
}

// A binding that works its value out at each look is not looked at.
bool is_active(SEXP name, SEXP place) { return place != R_EmptyEnv && place != R_BaseEnv && R_BindingIsActive(name, place); }

// What a name means; R_UnboundValue where that is nothing, or is worked out at each look.
SEXP value_at_rest(SEXP name, SEXP env) {
  SEXP place = place_of(name, env);
  return is_active(name, place) ? R_UnboundValue : Rf_findVar(name, place);
}

const char* const calm_functions[] = {
  "(", "+", "-", "*", "/", "^", ":", "[", "[[", "$", "c", "length", "nrow", "ncol", "seq_len", "seq_along", "numeric", "rep", "list", "quote", NULL
};

// do.call(quote = TRUE) gives arguments as base::quote(value).
bool is_base_quote(SEXP head) {
  return TYPEOF(head) == LANGSXP && Rf_length(head) == 3 && CAR(head) == Rf_install("::") && CADR(head) == Rf_install("base") &&
    CADDR(head) == Rf_install("quote");
}

// How an argument may be worked out: at once; only when R would; or it is missing after all.
enum promise_kind { calm, stirring, absent };

promise_kind kind_of(SEXP promise, int depth);

bool is_calm_name(SEXP name, SEXP env, int depth) {
  SEXP value = value_at_rest(name, env);
  if (value == R_UnboundValue || value == R_MissingArg) return false;
  return TYPEOF(value) != PROMSXP || (depth < 20 && kind_of(value, depth + 1) == calm);
}

// What is in an environment may be worked out when it is looked at.
bool holds_promise(SEXP code, SEXP field, SEXP env) {
  SEXP value = TYPEOF(code) == SYMSXP ? value_at_rest(code, env) : R_NilValue;
  if (TYPEOF(value) == PROMSXP) value = PRVALUE(value);
  if (TYPEOF(value) != ENVSXP) return false;
  if (TYPEOF(field) == STRSXP && XLENGTH(field) == 1) field = Rf_installTrChar(STRING_ELT(field, 0));
  if (TYPEOF(field) != SYMSXP || OBJECT(value)) return true;
  if (!R_existsVarInFrame(value, field)) return false;
  if (R_BindingIsActive(field, value)) return true;
  SEXP held = Rf_findVarInFrame(value, field);
  return TYPEOF(held) == PROMSXP && PRVALUE(held) == R_UnboundValue;
}

bool is_calm_call(SEXP code, SEXP env, int depth) {
  if (TYPEOF(code) == SYMSXP) return is_calm_name(code, env, depth);
  if (TYPEOF(code) != LANGSXP || is_base_quote(CAR(code))) return true;
  if (TYPEOF(CAR(code)) != SYMSXP) return false;
  const char* name = CHAR(PRINTNAME(CAR(code)));
  if (strcmp(name, "lazyLoadDBfetch") == 0) return true;  // what a package holds
  if (strcmp(name, "quote") == 0 || strcmp(name, "function") == 0) return function_of(CAR(code), env) == function_of(CAR(code), R_BaseEnv);
  int i = 0;
  while (calm_functions[i] != NULL && strcmp(calm_functions[i], name) != 0) ++i;
  if (calm_functions[i] == NULL || function_of(CAR(code), env) != function_of(CAR(code), R_BaseEnv)) return false;
  const bool field = strcmp(name, "$") == 0 && Rf_length(code) == 3;  // which is no variable
  const bool part = field || (strcmp(name, "[[") == 0 && Rf_length(code) == 3);
  if (part && holds_promise(CADR(code), CADDR(code), env)) return false;
  if (field) return is_calm_call(CADR(code), env, depth);
  for (SEXP at = CDR(code); at != R_NilValue; at = CDR(at)) {
    if (CAR(at) == R_MissingArg || !is_calm_call(CAR(at), env, depth)) return false;
  }
  return true;
}

promise_kind kind_of(SEXP promise, int depth) {
  if (PRVALUE(promise) != R_UnboundValue) return calm;
  SEXP code = R_PromiseExpr(promise);
  if (TYPEOF(code) == SYMSXP) {
    SEXP place = place_of(code, PRENV(promise));
    if (is_active(code, place)) return stirring;
    SEXP value = Rf_findVar(code, place);
    if (value == R_UnboundValue || value == R_MissingArg) return absent;
    if (TYPEOF(value) == PROMSXP) return depth > 20 ? stirring : kind_of(value, depth + 1);
    return calm;
  }
  return is_calm_call(code, PRENV(promise), depth) ? calm : stirring;
}

// An argument that was given, and that nobody has asked for yet.
bool is_unforced(SEXP value, SEXP frame) {
  return TYPEOF(value) == PROMSXP && PRVALUE(value) == R_UnboundValue && PRENV(value) != frame;
}

// What arithmetic does not stop at. What is not worked out yet is none.
bool is_plain_number(SEXP value) {
  if (TYPEOF(value) == PROMSXP) value = PRVALUE(value);
  return (TYPEOF(value) == REALSXP || TYPEOF(value) == INTSXP || TYPEOF(value) == LGLSXP) && !OBJECT(value) && Rf_getAttrib(value, R_DimSymbol) == R_NilValue;
}

// A promise whose working out can be seen, and that nobody has asked for yet.
bool is_waiting(SEXP value) {
  return TYPEOF(value) == PROMSXP && PRVALUE(value) == R_UnboundValue && kind_of(value, 0) == stirring;
}

SEXP call_r(const char* what, SEXP first, SEXP second, SEXP third, SEXP fourth = R_NilValue) {
  static SEXP space = NULL;
  if (space == NULL) {
    SEXP name = PROTECT(Rf_mkString("deepstride"));
    space = R_FindNamespace(name);
    UNPROTECT(1);
  }
  SEXP f = PROTECT(Rf_findFun(Rf_install(what), space));
  SEXP call = PROTECT(Rf_lang5(f, first, second, third, fourth));
  SEXP value = Rf_eval(call, R_GlobalEnv);
  UNPROTECT(2);
  return value;
}

// Generators whose state can't be put back as it was: R draws itself.
bool is_odd_generator() {
  SEXP seed = Rf_findVarInFrame(R_GlobalEnv, R_SeedsSymbol);
  if (seed == R_UnboundValue || TYPEOF(seed) != INTSXP || XLENGTH(seed) < 1) return false;
  const int code = INTEGER(seed)[0], normal = code / 100 % 100;
  return code % 100 == 5 || normal == 2 || normal == 3;
}

// Reads what a routine takes from outside into `held`; false where it is no longer of the type, or no longer trusted.
bool is_as_built(SEXP routine, SEXP* held) {
  SEXP waits = VECTOR_ELT(routine, r_waits);
  for (R_xlen_t i = 0; i + 1 < XLENGTH(waits); i += 2) {
    if (!is_waiting(value_at_rest(VECTOR_ELT(waits, i + 1), VECTOR_ELT(waits, i)))) return false;
  }
  SEXP trusted = VECTOR_ELT(routine, r_trusted);
  for (R_xlen_t i = 0; i + 2 < XLENGTH(trusted); i += 3) {
    SEXP symbol = VECTOR_ELT(trusted, i + 1), env = VECTOR_ELT(trusted, i), value = VECTOR_ELT(trusted, i + 2);
    if ((Rf_isFunction(value) ? function_of(symbol, env) : Rf_findVar(symbol, env)) != value) return false;
  }
  SEXP outside = VECTOR_ELT(routine, r_outside);
  for (R_xlen_t i = 0; i + 3 < XLENGTH(outside); i += 4) {
    SEXP env = VECTOR_ELT(outside, i);
    SEXP symbol = VECTOR_ELT(outside, i + 1);
    SEXP value = is_of_dots(symbol) ? Rf_eval(symbol, env) : value_at_rest(symbol, env);
    if (value == R_UnboundValue || is_waiting(value)) return false;
    if (TYPEOF(value) == PROMSXP) value = Rf_eval(value, env);
    SEXP field = VECTOR_ELT(outside, i + 2);
    if (field != R_NilValue) {
      SEXP names = TYPEOF(value) == VECSXP && !OBJECT(value) ? Rf_getAttrib(value, R_NamesSymbol) : R_NilValue;
      R_xlen_t at = 0;
      while (at < Rf_xlength(names) && strcmp(CHAR(STRING_ELT(names, at)), CHAR(STRING_ELT(field, 0))) != 0) ++at;
      if (at >= Rf_xlength(names)) return false;
      value = VECTOR_ELT(value, at);
    }
    char code[3] = {0, 0, 0};
    if (!type_of(value, code) || strcmp(code, CHAR(STRING_ELT(VECTOR_ELT(outside, i + 3), 0))) != 0) return false;
    held[i / 4] = value;
  }
  return true;
}

// The routine of a state for these codes whose surroundings are as they were; what it takes from outside follows the arguments.
SEXP find_routine(SEXP state, const char* code, SEXP* held, int most) {
  SEXP routines = FIELD(state, "routines");
  for (R_xlen_t i = XLENGTH(routines) - 1; i >= 0; --i) {
    SEXP routine = VECTOR_ELT(routines, i);
    if (strcmp(code, CHAR(STRING_ELT(VECTOR_ELT(routine, r_code), 0))) != 0) continue;
    if (R_ExternalPtrAddr(VECTOR_ELT(routine, r_address)) == NULL) continue;  // came from another process
    if (XLENGTH(VECTOR_ELT(routine, r_outside)) / 4 > most) continue;
    if (is_as_built(routine, held)) return routine;
  }
  return NULL;
}

// Leaves the function that called with a value.
void leave_with(SEXP value, SEXP frame, bool visible) {
  static SEXP leave = NULL, unseen = NULL;
  if (leave == NULL) {
    leave = Rf_findVar(Rf_install("return"), R_BaseEnv);
    unseen = Rf_findVar(Rf_install("invisible"), R_BaseEnv);
  }
  PROTECT(value);
  SEXP given = PROTECT(visible ? value : Rf_lang2(unseen, value));
  SEXP call = PROTECT(Rf_lang2(leave, given));
  Rf_eval(call, frame);  // does not come back
  UNPROTECT(3);
}

// Fallbacks so far, and in a row: a vector of the state that is changed in place.
double* counts_of(SEXP state) { return REAL(FIELD(state, "counts")); }

// Counts of fallbacks, those in a row, and the line of the C of the last one (-1 where a function of R ended it), with
// the lines of the user's code by those of the C. The third in a row is told.
void note_fallback(SEXP state, const char* why, int line, SEXP lines) {
  double* counts = counts_of(state);
  counts[0] += 1;
  counts[1] += 1;
  counts[2] = why == NULL ? line : 0;
  if (why == NULL) Rf_defineVar(Rf_install("left"), lines, state);
  if (counts[1] != 3) return;
  SEXP where = PROTECT(why == NULL ? Rf_ScalarInteger(line) : Rf_mkString(why));
  call_r("tell_fallbacks", state, where, lines);
  UNPROTECT(1);
}

// Was R asked to do it before for arguments of these codes?
bool is_declined(SEXP state, const char* code) {
  SEXP declined = FIELD(state, "declined");
  for (R_xlen_t i = 0; i < XLENGTH(declined); ++i) {
    if (strcmp(code, CHAR(STRING_ELT(declined, i))) == 0) return true;
  }
  return false;
}

SEXP address_of(SEXP routine) { return VECTOR_ELT(routine, r_address); }

const int most_outside = 256;

}  // namespace

// A kernel inside a handler of errors and warnings: list(value, code), see run_guarded().
extern "C" SEXP ds_run(SEXP call, SEXP op, SEXP arguments, SEXP frame) {
  SEXP pointer = CADR(arguments), given = CADDR(arguments);
  const R_xlen_t count = XLENGTH(given);
  SEXP* held = static_cast<SEXP*>(alloca((count + 1) * sizeof(SEXP)));
  for (R_xlen_t i = 0; i < count; ++i) held[i] = VECTOR_ELT(given, i);
  int line = 0;
  SEXP value = reinterpret_cast<kernel_routine>(R_ExternalPtrAddr(pointer))(held, &line);
  const uintptr_t bits = reinterpret_cast<uintptr_t>(value);
  const int code = value == NULL ? 1 : value == past_end ? 2 : value == missing_met ? 4 : is_message(value) ? static_cast<int>(bits) : (bits & 2) ? 3 : 0;
  if (code == 3) value = reinterpret_cast<SEXP>(bits & ~static_cast<uintptr_t>(2));
  const bool plain = code == 0 || code == 3;
  PROTECT(plain ? value : R_NilValue);
  SEXP made = PROTECT(Rf_allocVector(VECSXP, 3));
  SET_VECTOR_ELT(made, 0, plain ? value : R_NilValue);
  SET_VECTOR_ELT(made, 1, Rf_ScalarInteger(code));
  SET_VECTOR_ELT(made, 2, Rf_ScalarInteger(line));
  UNPROTECT(2);
  return made;
}

// `inside` is a function made in the frame of the call, which tells it in less time than anything else.
extern "C" SEXP ds_dispatch(SEXP state, SEXP inside) {
  SEXP frame = CLOENV(inside);
  SET_CLOENV(inside, R_EmptyEnv);  // what the frame holds is given up when the call ends
  SEXP taken = FIELD(state, "taken");
  SEXP symbols = VECTOR_ELT(taken, t_symbols);
  SEXP certain = VECTOR_ELT(taken, t_certain);
  const int count = static_cast<int>(XLENGTH(symbols));
  SEXP* held = static_cast<SEXP*>(alloca((count + most_outside + 1) * sizeof(SEXP)));
  SEXP* bound = static_cast<SEXP*>(alloca((count + 1) * sizeof(SEXP)));
  int* formal = static_cast<int*>(alloca((count + 1) * sizeof(int)));
  char* code = static_cast<char*>(alloca(2 * count + 2));
  bool* bare = static_cast<bool*>(alloca((count + 1) * sizeof(bool)));
  const bool series = LOGICAL(VECTOR_ELT(taken, t_series))[0];
  PROTECT_INDEX kept;
  SEXP copies = R_NilValue;
  PROTECT_WITH_INDEX(copies, &kept);
  const char* why = NULL;
  // what may not be worked out before R would: only where R is certain to, and in its order
  bool* pending = static_cast<bool*>(alloca((count + 1) * sizeof(bool)));
  for (int i = 0; i < count && why == NULL; ++i) {
    SEXP value = Rf_findVarInFrame(frame, VECTOR_ELT(symbols, i));
    bound[i] = value;
    pending[i] = false;
    if (!is_unforced(value, frame)) continue;
    bool sure = false;
    for (R_xlen_t k = 0; k < XLENGTH(certain); ++k) sure = sure || abs(INTEGER(certain)[k]) == i + 1;
    if (sure) continue;  // looked at next
    promise_kind kind = kind_of(value, 0);
    if (kind == absent) why = "an argument is missing in the function that passes it on";
    pending[i] = kind == stirring;
  }
  bool plain = true;  // so far
  for (R_xlen_t k = 0; k < XLENGTH(certain) && why == NULL; ++k) {
    const int i = abs(INTEGER(certain)[k]) - 1;
    SEXP value = bound[i];
    const bool unforced = is_unforced(value, frame);
    if (unforced && INTEGER(certain)[k] < 0 && !plain) {
      promise_kind kind = kind_of(value, 0);
      if (kind == absent) why = "an argument is missing in the function that passes it on";
      pending[i] = kind == stirring;
      continue;
    }
    if (unforced) Rf_eval(value, frame);
    pending[i] = false;
    plain = plain && is_plain_number(value);
  }
  SEXP named;
  int given;
  char* at;
  bool known;
again:
  named = VECTOR_ELT(FIELD(state, "taken"), t_bare);  // arguments whose names don't matter
  for (int i = 0; i < count; ++i) bare[i] = false;
  for (R_xlen_t k = 0; k < XLENGTH(named); ++k) bare[INTEGER(named)[k] - 1] = true;
  given = 0;
  at = code;
  known = true;
  for (int i = 0; i < count && why == NULL; ++i) {
    SEXP value = bound[i];
    if (value == R_MissingArg || (TYPEOF(value) == PROMSXP && PRVALUE(value) == R_UnboundValue && PRENV(value) == frame)) {
      *at++ = 'm';
      continue;
    }
    if (pending[i]) { *at++ = 'p'; continue; }
    if (TYPEOF(value) == PROMSXP) value = PRVALUE(value) != R_UnboundValue ? PRVALUE(value) : Rf_eval(value, frame);
    bound[i] = value;
    if (!type_of(value, at, bare[i], series)) { known = false; ++at; continue; }
    at += 2;
    formal[given] = i;
    held[given++] = value;
  }
  *at = 0;
  for (int attempt = 0; attempt < 3 && why == NULL; ++attempt) {
    SEXP routine = known ? find_routine(state, code, held + given, most_outside) : NULL;
    if (routine == NULL) {
      if (attempt > 0 && known) break;
      if (is_declined(state, code)) { why = "its arguments are of a kind that kernels don't take"; break; }
      SEXP values = PROTECT(Rf_allocVector(VECSXP, count));
      SEXP missing = PROTECT(Rf_allocVector(LGLSXP, count));  // NA: not worked out yet
      const char* c = code;
      for (int i = 0; i < count; ++i) {
        LOGICAL(missing)[i] = *c == 'p' ? NA_LOGICAL : *c == 'm';
        const bool strip = (*c != 'm' && *c != 'p') && bare[i] && has_names(bound[i]);
        if (*c != 'm' && *c != 'p') SET_VECTOR_ELT(values, i, strip ? without_names(bound[i]) : bound[i]);
        c += *c == 'm' || *c == 'p' || *c == '?' || *c == '~' ? 1 : 2;
      }
      SEXP key = PROTECT(Rf_mkString(code));
      SEXP made = call_r("first_of_types", state, values, missing, key);
      UNPROTECT(3);
      if (Rf_asLogical(made) == NA_LOGICAL) goto again;
      if (!Rf_asLogical(made)) { why = "its arguments are of a kind that kernels don't take"; break; }
      continue;
    }
    if (LOGICAL(VECTOR_ELT(routine, r_random))[0] && is_odd_generator()) {
      why = "this random number generator can't be set back";
      break;
    }
    // what a kernel may give on in whole it is not to give on with names
    for (int g = 0; g < given; ++g) {
      if (!bare[formal[g]] || LOGICAL(VECTOR_ELT(routine, r_reads))[g] || !has_names(held[g])) continue;
      if (copies == R_NilValue) REPROTECT(copies = Rf_allocVector(VECSXP, count), kept);
      held[g] = without_names(held[g]);
      SET_VECTOR_ELT(copies, formal[g], held[g]);
    }
    int line = 0;
    bool visible = true;
    SEXP value;
    if (LOGICAL(VECTOR_ELT(routine, r_risky))[0]) {
      const R_xlen_t all = given + XLENGTH(VECTOR_ELT(routine, r_outside)) / 4;
      SEXP list = PROTECT(Rf_allocVector(VECSXP, all));
      for (R_xlen_t i = 0; i < all; ++i) SET_VECTOR_ELT(list, i, held[i]);
      SEXP made = PROTECT(call_r("run_guarded", address_of(routine), list, R_NilValue));
      const int result = INTEGER(VECTOR_ELT(made, 1))[0];
      value = result == 1 ? NULL : result == 2 ? past_end : result == 4 ? missing_met : result >= 16 ? reinterpret_cast<SEXP>(static_cast<uintptr_t>(result)) :
        VECTOR_ELT(made, 0);
      visible = result != 3;
      line = INTEGER(VECTOR_ELT(made, 2))[0];
      UNPROTECT(2);
    } else {
      value = reinterpret_cast<kernel_routine>(R_ExternalPtrAddr(address_of(routine)))(held, &line);
      const uintptr_t bits = reinterpret_cast<uintptr_t>(value);
      visible = is_message(value) || !(bits & 2);
      if (!visible) value = reinterpret_cast<SEXP>(bits & ~static_cast<uintptr_t>(2));
    }
    if (is_message(value) && value != NULL && value != past_end && value != missing_met) {  // an argument is used for the first time: see DS_PENDING
      const int i = static_cast<int>(reinterpret_cast<uintptr_t>(value)) - 16;
      if (i >= count) {  // or what an outer function was given, as it is then
        SEXP waits = VECTOR_ELT(routine, r_waits);
        Rf_eval(VECTOR_ELT(waits, 2 * (i - count) + 1), VECTOR_ELT(waits, 2 * (i - count)));
        goto again;
      }
      Rf_eval(bound[i], frame);
      pending[i] = false;
      goto again;
    }
    if (value == past_end || value == missing_met) {
      SEXP key = PROTECT(Rf_mkString(code)), what = PROTECT(Rf_mkString(value == past_end ? "past_end" : "careful"));
      call_r("foresee", state, key, what);
      UNPROTECT(2);
      attempt = -1;
      continue;
    }
    if (value != NULL) {
      counts_of(state)[1] = 0;
      leave_with(value, frame, visible);
    }
    note_fallback(state, NULL, line, VECTOR_ELT(routine, r_lines));
    UNPROTECT(1);
    return Rf_ScalarLogical(1);
  }
  note_fallback(state, why == NULL ? "what it speaks of changes from call to call" : why, 0, R_NilValue);
  UNPROTECT(1);
  return Rf_ScalarLogical(1);
}

// What R has compiled once, it does not interpret at its first call.
// [[Rcpp::export(rng = false)]]
bool is_byte_compiled(SEXP f) {
  return TYPEOF(f) == CLOSXP && TYPEOF(BODY(f)) == BCODESXP;
}

// Text that can stand in code: neither missing, nor bytes, nor broken letters.
bool can_be_written(SEXP text) {
  return text != NA_STRING && Rf_getCharCE(text) != CE_BYTES && R_nchar(text, Chars, TRUE, FALSE, "") != NA_INTEGER;
}

// What a variable of a frame is for a loop that is to run native, without working anything out that R would not:
// "unset", "pending" (an argument that is worked out later), "plain", "named" (with names, dimnames or the times of
// a series), "default" (of an argument, not worked out yet), "text" (one string), "null", "function", "list" (a data frame too) or "other".
const char* kind_of_variable(SEXP value, SEXP frame) {
  if (value == R_UnboundValue || value == R_MissingArg) return "unset";
  if (TYPEOF(value) == PROMSXP) {
    const promise_kind kind = kind_of(value, 0);
    if (PRVALUE(value) == R_UnboundValue && PRENV(value) == frame && TYPEOF(R_PromiseExpr(value)) == LANGSXP) return "default";
    if (kind != calm) return kind == absent ? "unset" : "pending";
    value = Rf_eval(value, frame);
  }
  switch (TYPEOF(value)) {
    case NILSXP: return "null";
    case CLOSXP: case BUILTINSXP: case SPECIALSXP: return "function";
    case STRSXP:
      if (XLENGTH(value) == 1 && ATTRIB(value) == R_NilValue && can_be_written(STRING_ELT(value, 0))) return "text";
      break;
    case VECSXP: return OBJECT(value) && !Rf_inherits(value, "data.frame") ? "other" : "list";
    case REALSXP: case INTSXP: case LGLSXP: case CPLXSXP: break;
    default: return "other";
  }
  if (OBJECT(value) && !Rf_inherits(value, "ts")) return "other";
  if (Rf_length(Rf_getAttrib(value, R_DimSymbol)) == 1) return "other";
  bool plain = true;
  for (SEXP at = ATTRIB(value); at != R_NilValue; at = CDR(at)) plain = plain && TAG(at) == R_DimSymbol;
  return plain ? "plain" : "named";
}

// What `..1` stands for, as it is: a promise, often.
SEXP value_behind_dots(SEXP symbol, SEXP frame) {
  SEXP dots = Rf_findVarInFrame(frame, R_DotsSymbol);
  const int at = atoi(CHAR(PRINTNAME(symbol)) + 2);
  if (TYPEOF(dots) != DOTSXP || at > Rf_length(dots)) return R_UnboundValue;
  return CAR(Rf_nthcdr(dots, at - 1));
}

// [[Rcpp::export(rng = false)]]
SEXP kinds_of_variables(SEXP frame, SEXP symbols) {
  SEXP kinds = PROTECT(Rf_allocVector(STRSXP, XLENGTH(symbols)));
  for (R_xlen_t i = 0; i < XLENGTH(symbols); ++i) {
    SEXP symbol = VECTOR_ELT(symbols, i);
    const bool active = R_existsVarInFrame(frame, symbol) && R_BindingIsActive(symbol, frame);
    SEXP value = active ? R_NilValue : is_of_dots(symbol) ? value_behind_dots(symbol, frame) : Rf_findVarInFrame(frame, symbol);
    SET_STRING_ELT(kinds, i, Rf_mkChar(active ? "other" : kind_of_variable(value, frame)));
  }
  UNPROTECT(1);
  return kinds;
}

// A name outside a function that is not to be looked at: "active" where each look works it out anew, "waiting" for a
// promise that can be seen to be worked out.
// [[Rcpp::export(rng = false)]]
SEXP kind_of_name(SEXP symbol, SEXP env) {
  SEXP place = place_of(symbol, env);
  if (is_active(symbol, place)) return Rf_mkString("active");
  return Rf_mkString(place != R_EmptyEnv && is_waiting(Rf_findVar(symbol, place)) ? "waiting" : "plain");
}

// Binds names that a frame lacks to what they mean around it, promises as they are; gives those that it bound, or NULL
// where one is worked out at each look.
// [[Rcpp::export(rng = false)]]
SEXP lend_variables(SEXP frame, SEXP names) {
  SEXP lent = PROTECT(Rf_allocVector(LGLSXP, XLENGTH(names)));
  R_xlen_t count = 0;
  for (int turn = 0; turn < 2; ++turn) {
    for (R_xlen_t i = 0; i < XLENGTH(names); ++i) {
      SEXP symbol = Rf_installTrChar(STRING_ELT(names, i));
      SEXP place = place_of(symbol, turn == 0 ? frame : ENCLOS(frame));
      if (turn == 0) {
        if (is_active(symbol, place)) { UNPROTECT(1); return R_NilValue; }
        LOGICAL(lent)[i] = place != frame && place != R_EmptyEnv;
        count += LOGICAL(lent)[i];
      } else if (LOGICAL(lent)[i]) {
        Rf_defineVar(symbol, Rf_findVarInFrame(place, symbol), frame);
      }
    }
  }
  SEXP made = PROTECT(Rf_allocVector(STRSXP, count));
  for (R_xlen_t i = 0, k = 0; i < XLENGTH(names); ++i) if (LOGICAL(lent)[i]) SET_STRING_ELT(made, k++, STRING_ELT(names, i));
  UNPROTECT(2);
  return made;
}

// How many numbers the variables of a frame hold that are worked out.
// [[Rcpp::export(rng = false)]]
double count_in_variables(SEXP frame, SEXP symbols) {
  double count = 0;
  for (R_xlen_t i = 0; i < XLENGTH(symbols); ++i) {
    SEXP symbol = VECTOR_ELT(symbols, i);
    if (!R_existsVarInFrame(frame, symbol) || R_BindingIsActive(symbol, frame)) continue;
    SEXP value = Rf_findVarInFrame(frame, symbol);
    if (TYPEOF(value) == PROMSXP) value = PRVALUE(value);
    if (Rf_isVectorAtomic(value)) count += static_cast<double>(XLENGTH(value));
    if (TYPEOF(value) == VECSXP && XLENGTH(value) > 0) count += static_cast<double>(XLENGTH(value) * Rf_xlength(VECTOR_ELT(value, 0)));
  }
  return count;
}

// What the variables of a frame are, in one text: their kinds, and the types, extents and names of what is plain or
// named; NULL where that is not all that their loop hangs on.
// [[Rcpp::export(rng = false)]]
SEXP words_of_variables(SEXP frame, SEXP symbols) {
  const R_xlen_t count = XLENGTH(symbols);
  char* words = R_alloc(6 * count + 1, 1);
  char* at = words;
  for (R_xlen_t i = 0; i < count; ++i) {
    SEXP symbol = VECTOR_ELT(symbols, i);
    if (symbol == R_DotsSymbol || is_of_dots(symbol)) return R_NilValue;
    if (R_existsVarInFrame(frame, symbol) && R_BindingIsActive(symbol, frame)) return R_NilValue;
    SEXP value = Rf_findVarInFrame(frame, symbol);
    const char* kind = kind_of_variable(value, frame);
    *at++ = kind[0] == 'n' && kind[1] == 'u' ? '0' : kind[0];  // null, named
    if (strcmp(kind, "unset") == 0 || strcmp(kind, "null") == 0) continue;
    const bool named = strcmp(kind, "named") == 0;
    if (!named && strcmp(kind, "plain") != 0) return R_NilValue;
    if (TYPEOF(value) == PROMSXP) value = PRVALUE(value);
    if (value == R_UnboundValue || OBJECT(value)) return R_NilValue;
    SEXP extents = Rf_getAttrib(value, R_DimSymbol);
    *at++ = static_cast<char>('A' + TYPEOF(value));
    *at++ = static_cast<char>('0' + Rf_length(extents));
    *at++ = XLENGTH(value) == 1 ? '1' : '2';
    if (!named) continue;
    if (extents == R_NilValue) {
      *at++ = Rf_getAttrib(value, R_NamesSymbol) != R_NilValue ? 'n' : '-';
      continue;
    }
    SEXP sides = Rf_getAttrib(value, R_DimNamesSymbol);
    int which = 0;
    for (R_xlen_t k = 0; k < Rf_xlength(sides) && k < 6; ++k) which |= (VECTOR_ELT(sides, k) != R_NilValue) << k;
    if (Rf_xlength(sides) > 6) return R_NilValue;
    *at++ = static_cast<char>('0' + which);
  }
  *at = 0;
  return Rf_mkString(words);
}

double seconds_now() {
  return std::chrono::duration<double>(std::chrono::steady_clock::now().time_since_epoch()).count();
}

// Is a loop left to R for some calls to come? Its numbers are calls, those left to R, and those to come; when the one
// began that R is running, and how long such a one may take: see part_is_left().
extern "C" SEXP ds_waits(SEXP part) {
  double* numbers = REAL(FIELD(part, "numbers"));
  numbers[0] += 1;
  if (numbers[2] <= 0) return Rf_ScalarLogical(0);
  numbers[1] += 1;
  numbers[2] -= 1;
  if (numbers[4] > 0) numbers[3] = seconds_now();
  return Rf_ScalarLogical(1);
}

// A loop has run in R: was that to see how long it takes? Where it took longer than is left to R, no more calls are.
// Gives FALSE.
extern "C" SEXP ds_ends(SEXP part) {
  double* numbers = REAL(FIELD(part, "numbers"));
  if (numbers[3] > 0) {
    if (seconds_now() - numbers[3] > numbers[4]) numbers[2] = 0;
    numbers[3] = 0;
  }
  if (CHAR(STRING_ELT(FIELD(part, "compared"), 0))[0] == 'R') call_r("part_ends", part, R_NilValue, R_NilValue);
  return Rf_ScalarLogical(0);
}

// Where `.Call` finds them, and ds_run() `.External2`.
// [[Rcpp::export(rng = false)]]
SEXP dispatch_address(int which) {
  DL_FUNC routine = which == 1 ? reinterpret_cast<DL_FUNC>(ds_dispatch) : which == 2 ? reinterpret_cast<DL_FUNC>(ds_run) :
    which == 3 ? reinterpret_cast<DL_FUNC>(ds_waits) : reinterpret_cast<DL_FUNC>(ds_ends);
  return R_MakeExternalPtrFn(routine, Rf_install("native symbol"), R_NilValue);
}

// The routine of a library, loaded past R's own table, which holds a hundred; a string where that fails.
// [[Rcpp::export(rng = false)]]
SEXP load_kernel(std::string path) {
#ifdef _WIN32
  return Rf_mkString("no loader");
#else
  void* library = dlopen(path.c_str(), RTLD_NOW | RTLD_LOCAL);
  void* routine = library == NULL ? NULL : dlsym(library, "ds_kernel");
  if (routine == NULL) return Rf_mkString(dlerror());
  return R_MakeExternalPtr(routine, R_NilValue, R_NilValue);
#endif
}

// Of a kernel that counts: its counts since the last look, and what each stands for, a row each.
// [[Rcpp::export(rng = false)]]
SEXP take_counts(std::string path, int columns) {
#ifdef _WIN32
  return R_NilValue;
#else
  void* library = dlopen(path.c_str(), RTLD_NOW | RTLD_LOCAL | RTLD_NOLOAD);
  if (library == NULL) return R_NilValue;
  unsigned long long* counts = static_cast<unsigned long long*>(dlsym(library, "ds_counts"));
  const int* many = static_cast<const int*>(dlsym(library, "ds_tallies"));
  const double* tally = static_cast<const double*>(dlsym(library, "ds_tally"));
  dlclose(library); // the session holds it
  if (counts == NULL || many == NULL || tally == NULL) return R_NilValue;
  SEXP found = PROTECT(Rf_allocMatrix(REALSXP, *many, columns + 1));
  for (int row = 0; row < *many; ++row) {
    for (int column = 0; column < columns; ++column) {
      REAL(found)[row + static_cast<R_xlen_t>(column) * *many] = tally[row * columns + column];
    }
    REAL(found)[row + static_cast<R_xlen_t>(columns) * *many] = static_cast<double>(counts[row]);
    counts[row] = 0;
  }
  UNPROTECT(1);
  return found;
#endif
}
