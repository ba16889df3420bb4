// The command's standard output, kept for its answer alone; its exit status, which
// only the command itself may decide; and what a file is before it is opened.
#include "leave.h"
#include <Rcpp.h>
#include <cerrno>
#include <cstdio>
#include <cstdlib>
#include <cstring>

#if defined(__linux__) || defined(__APPLE__)
#include <fcntl.h>
#include <grp.h>
#include <pwd.h>
#include <signal.h>
#include <sys/file.h>
#include <sys/stat.h>
#include <unistd.h>
#define DS_UNIX 1
#endif

namespace {

int answer_to = 1;       // where the answer goes
int declared = -1;       // the exit status, once it is known
long command_process = 0;

#ifdef DS_UNIX
const char unfinished[] =
    "deepstride: something in the study or the script ended R (quit() or exit()) before the work was done.\n";

// R's quit() and C's exit() both come by here.
void leave() {
  if (getpid() != command_process) return;
  fflush(nullptr);
  if (declared >= 0) leave_now(declared);  // whatever a finalizer of the study's says
  if (write(2, unfinished, sizeof unfinished - 1) < 0) leave_now(2);
  leave_now(2);
}

std::string write_all(int to, const char* from, size_t left) {
  void (*before)(int) = signal(SIGPIPE, SIG_IGN);
  std::string problem;
  while (left > 0) {
    const ssize_t written = write(to, from, left);
    if (written < 0 && errno == EINTR) continue;
    if (written < 0) {
      problem = std::strerror(errno);
      break;
    }
    from += written;
    left -= static_cast<size_t>(written);
  }
  signal(SIGPIPE, before);
  return problem;
}
#endif

}  // namespace

// From here on what R, packages and C code print goes to standard error, and an end of
// the process that does not go by declare_status() is exit status 2. Whether the
// standard output is a terminal.
// [[Rcpp::export(rng = false)]]
bool claim_output() {
#ifdef DS_UNIX
  command_process = getpid();
  signal(SIGXFSZ, SIG_IGN);  // a file that may not grow is an error of the write, not the end
  std::atexit(leave);
  answer_to = fcntl(1, F_DUPFD_CLOEXEC, 3);
  dup2(2, 1);
  return answer_to >= 0 && isatty(answer_to);
#else
  return false;
#endif
}

// [[Rcpp::export(rng = false)]]
void declare_status(int status) { declared = status; }

// Writes text to the standard output that was claimed (`error` FALSE) or to standard
// error; what went wrong in words, or "".
// [[Rcpp::export(rng = false)]]
std::string write_stream(std::string text, bool error) {
#ifdef DS_UNIX
  return write_all(error ? 2 : answer_to, text.data(), text.size());
#else
  return "";
#endif
}

// list(kind, owner, mode, bytes) of what stands at `path`, links followed; kind is "file",
// "folder", "other" or "none".
// [[Rcpp::export(rng = false)]]
Rcpp::List file_facts(std::string path) {
#ifdef DS_UNIX
  struct stat facts;
  if (stat(path.c_str(), &facts) != 0) {
    return Rcpp::List::create(Rcpp::_["kind"] = "none", Rcpp::_["owner"] = NA_REAL, Rcpp::_["mode"] = NA_INTEGER,
                              Rcpp::_["bytes"] = NA_REAL);
  }
  const char* kind = S_ISREG(facts.st_mode) ? "file" : S_ISDIR(facts.st_mode) ? "folder" : "other";
  return Rcpp::List::create(Rcpp::_["kind"] = kind, Rcpp::_["owner"] = static_cast<double>(facts.st_uid),
                            Rcpp::_["mode"] = static_cast<int>(facts.st_mode & 07777),
                            Rcpp::_["bytes"] = static_cast<double>(facts.st_size));
#else
  Rcpp::stop("no facts about files on this system");
#endif
}

// Is the group of what stands at `path` one that nobody but this user is in?
// [[Rcpp::export(rng = false)]]
bool private_group(std::string path) {
#ifdef DS_UNIX
  struct stat facts;
  const passwd* user = getpwuid(geteuid());
  if (stat(path.c_str(), &facts) != 0 || !user) return false;
  const std::string name = user->pw_name;
  const group* found = getgrgid(facts.st_gid);
  if (!found || name != found->gr_name) return false;
  for (char** member = found->gr_mem; *member; ++member) {
    if (name != *member) return false;
  }
  return true;
#else
  return false;
#endif
}

// The user that this process acts for.
// [[Rcpp::export(rng = false)]]
double acting_user() {
#ifdef DS_UNIX
  return static_cast<double>(geteuid());
#else
  return NA_REAL;
#endif
}

// An advisory lock on the file `path`, made where it is not there: the descriptor that holds
// it, or -1 where another holds it. It ends with the process. `text` says whose it is.
// [[Rcpp::export(rng = false)]]
int lock_file(std::string path, std::string text) {
#ifdef DS_UNIX
  for (int tries = 0; tries < 100; ++tries) {
    int held = open(path.c_str(), O_RDWR | O_CREAT | O_CLOEXEC, 0644);
    const bool own = held >= 0;
    if (!own) held = open(path.c_str(), O_RDONLY | O_CLOEXEC);  // another user's
    if (held < 0) Rcpp::stop("%s", std::strerror(errno));
    if (flock(held, LOCK_EX | LOCK_NB) != 0) {
      close(held);
      return -1;
    }
    struct stat mine, named;  // the one who held it may just have taken the file away
    if (fstat(held, &mine) == 0 && stat(path.c_str(), &named) == 0 && mine.st_ino == named.st_ino) {
      if (own && ftruncate(held, 0) == 0) write_all(held, text.data(), text.size());
      return held;
    }
    close(held);
  }
  return -1;
#else
  return 0;
#endif
}

// [[Rcpp::export(rng = false)]]
void unlock_file(int held, std::string path) {
#ifdef DS_UNIX
  unlink(path.c_str());
  flock(held, LOCK_UN);
  close(held);
#endif
}
