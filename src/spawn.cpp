// A command in a process of its own, started without a copy of this process' memory, which takes longer the more a
// session holds.
#include <Rcpp.h>
#include <string>
#include <vector>

#if defined(__linux__) || defined(__APPLE__)
#include <cerrno>
#include <cstring>
#include <fcntl.h>
#include <signal.h>
#include <spawn.h>
#include <sys/wait.h>
#include "moment.h"
#include <unistd.h>

extern char** environ;

namespace {

// This process' environment with some variables ("NAME=value") in the place of its own.
std::vector<std::string> environment_with(const std::vector<std::string>& own) {
  std::vector<std::string> all(own);
  for (char** one = environ; *one != nullptr; ++one) {
    const size_t name = std::strcspn(*one, "=") + 1;
    bool replaced = false;
    for (const std::string& other : own) replaced = replaced || other.compare(0, name, *one, name) == 0;
    if (!replaced) all.push_back(*one);
  }
  return all;
}

std::vector<char*> pointers(std::vector<std::string>& texts) {
  std::vector<char*> found;
  for (std::string& text : texts) found.push_back(&text[0]);
  found.push_back(nullptr);
  return found;
}

// The command's number; below 0 the error's where it can't be started. It leads a group of its own and says what it
// says into `said`.
pid_t start(std::vector<std::string> command, std::vector<std::string> variables, const char* directory,
            const char* said) {
  posix_spawn_file_actions_t actions;
  posix_spawnattr_t settings;
  posix_spawn_file_actions_init(&actions);
  posix_spawnattr_init(&settings);
  posix_spawn_file_actions_addopen(&actions, 0, "/dev/null", O_RDONLY, 0);
  posix_spawn_file_actions_addopen(&actions, 1, said, O_WRONLY | O_CREAT | O_TRUNC, 0600);
  posix_spawn_file_actions_adddup2(&actions, 1, 2);
  posix_spawn_file_actions_addchdir_np(&actions, directory);
  sigset_t all, none;
  sigfillset(&all);
  sigemptyset(&none);
  posix_spawnattr_setsigdefault(&settings, &all);
  posix_spawnattr_setsigmask(&settings, &none);
  posix_spawnattr_setpgroup(&settings, 0);
  posix_spawnattr_setflags(&settings, POSIX_SPAWN_SETPGROUP | POSIX_SPAWN_SETSIGDEF | POSIX_SPAWN_SETSIGMASK);
  std::vector<std::string> whole = environment_with(variables);
  pid_t process = 0;
  const int failed = posix_spawnp(&process, command[0].c_str(), &actions, &settings, pointers(command).data(),
                                  pointers(whole).data());
  posix_spawn_file_actions_destroy(&actions);
  posix_spawnattr_destroy(&settings);
  return failed ? -failed : process;
}

// Kills the group when it goes out of scope before the command's end was seen.
struct Command {
  pid_t process;
  bool ended = false;
  int status = 0;
  explicit Command(pid_t process) : process(process) {}
  ~Command() {
    kill(-process, SIGKILL);  // what it left running, too
    if (!ended) waitpid(process, &status, 0);
  }
  bool wait_until(double limit) {
    long pause = 200000;  // nanoseconds
    for (;;) {
      const pid_t seen = waitpid(process, &status, WNOHANG);
      ended = seen == process || (seen < 0 && errno != EINTR);
      if (ended) return true;
      if (seconds_now() >= limit) return false;
      const timespec rest = {0, pause};
      nanosleep(&rest, nullptr);
      if (pause < 5000000) pause += pause / 4;
      Rcpp::unwindProtect([]() {  // an interruption, or the end of the time that R may take
        R_CheckUserInterrupt();
        return R_NilValue;
      });
    }
  }
};

}  // namespace

// status (of a signal: its number, below 0), timeout; or failed, why it can't be started.
// [[Rcpp::export]]
Rcpp::List spawn_command(std::vector<std::string> command, std::vector<std::string> variables, std::string directory,
                         std::string said, double limit) {
  const double until = seconds_now() + limit;
  const pid_t process = start(command, variables, directory.c_str(), said.c_str());
  if (process < 0) return Rcpp::List::create(Rcpp::Named("failed") = std::string(std::strerror(-process)));
  Command running(process);
  const bool ended = running.wait_until(until);
  const int status = !ended ? NA_INTEGER : WIFSIGNALED(running.status) ? -WTERMSIG(running.status) :
    WEXITSTATUS(running.status);
  return Rcpp::List::create(Rcpp::Named("status") = status, Rcpp::Named("timeout") = !ended);
}

#else

Rcpp::List spawn_command(std::vector<std::string>, std::vector<std::string>, std::string, std::string, double) {
  return Rcpp::List::create(Rcpp::Named("failed") = "commands run on Linux and macOS only");
}

#endif
