// A copy of this process that answers questions over a socket, and what it takes
// to watch it: whatever becomes of the copy, the session goes on.
#include "leave.h"
#include <Rcpp.h>
#include <cstdint>
#include <cstdlib>
#include <cstring>
#include <string>

#if defined(__linux__) || defined(__APPLE__)
#include <cerrno>
#include <dirent.h>
#include <fcntl.h>
#include <poll.h>
#include <signal.h>
#include <sys/resource.h>
#include <sys/socket.h>
#include <sys/stat.h>
#include <sys/wait.h>
#include <unistd.h>
#ifdef __linux__
#include <sys/prctl.h>
#endif
#include "moment.h"
#define DS_UNIX 1
#endif

#ifdef DS_UNIX

namespace {

// In the copy: a file that the session reads, its script among them, is opened again. Both would move one place in it
// otherwise, and exit() in native code moves it back to what the copy has read.
void reopen_files() {
#ifdef __linux__
  DIR* open_now = opendir("/proc/self/fd");
  if (open_now == NULL) return;
  const int own = dirfd(open_now);
  while (const dirent* one = readdir(open_now)) {
    const int file = atoi(one->d_name);
    struct stat facts;
    if (one->d_name[0] == '.' || file == own || fstat(file, &facts) != 0 || !S_ISREG(facts.st_mode)) continue;
    if ((fcntl(file, F_GETFL) & O_ACCMODE) != O_RDONLY) continue;
    const std::string path = std::string("/proc/self/fd/") + one->d_name;
    const int again = open(path.c_str(), O_RDONLY | O_CLOEXEC);
    if (again < 0) continue;
    lseek(again, lseek(file, 0, SEEK_CUR), SEEK_SET);
    const int kept = fcntl(file, F_GETFD);
    dup2(again, file);
    fcntl(file, F_SETFD, kept);
    close(again);
  }
  closedir(open_now);
#endif
}

// In the copy: Ctrl-C is the session's affair, output goes to `said`, and the copy
// does not outlive the session.
void settle_copy(const char* said, pid_t parent) {
  signal(SIGINT, SIG_IGN);
  for (int crash : {SIGSEGV, SIGBUS, SIGILL, SIGFPE, SIGABRT}) signal(crash, SIG_DFL);  // R's handler clears the session's folder
#ifdef __linux__
  prctl(PR_SET_PDEATHSIG, SIGKILL);
  if (getppid() != parent) leave_now(1);
#endif
  const rlimit none = {0, 0};
  setrlimit(RLIMIT_CORE, &none);
  reopen_files();
  const int out = open(said, O_WRONLY | O_CREAT | O_APPEND, 0600);
  const int in = open("/dev/null", O_RDONLY);
  fflush(NULL);
  if (in >= 0) dup2(in, 0);
  if (out >= 0) {
    dup2(out, 1);
    dup2(out, 2);
  }
}

double bytes_of(const char* path) {
  struct stat facts;
  return stat(path, &facts) == 0 ? static_cast<double>(facts.st_size) : 0;
}

bool send_bytes(int socket, const char* from, size_t left) {
  while (left > 0) {
#ifdef MSG_NOSIGNAL
    const ssize_t sent = send(socket, from, left, MSG_NOSIGNAL);
#else
    const ssize_t sent = send(socket, from, left, 0);
#endif
    if (sent < 0 && errno == EINTR) continue;
    if (sent <= 0) return false;
    from += sent;
    left -= static_cast<size_t>(sent);
  }
  return true;
}

enum Outcome { whole, timeout, closed, loud };

// Waits for `want` bytes, looking up every tenth of a second.
struct Receiver {
  int socket;
  double until;
  const char* said;
  double loudest;

  Outcome fill(char* to, size_t want) const {
    while (want > 0) {
      const double left = until - seconds_now();
      if (left <= 0) return timeout;
      pollfd watched = {socket, POLLIN, 0};
      const int ready = poll(&watched, 1, left < 0.1 ? static_cast<int>(left * 1000) + 1 : 100);
      if (ready <= 0) {
        Rcpp::checkUserInterrupt();
        if (said && bytes_of(said) > loudest) return loud;
        continue;
      }
      const ssize_t got = recv(socket, to, want < (1u << 20) ? want : (1u << 20), 0);
      if (got < 0 && (errno == EINTR || errno == EAGAIN)) continue;
      if (got <= 0) return closed;
      to += got;
      want -= static_cast<size_t>(got);
    }
    return whole;
  }
};

}  // namespace

#endif

// How many threads this process has; 2 where the system does not tell.
// [[Rcpp::export(rng = false)]]
int session_threads() {
#ifdef __linux__
  DIR* tasks = opendir("/proc/self/task");
  if (tasks == NULL) return 2;
  int count = 0;
  while (const dirent* one = readdir(tasks)) count += one->d_name[0] != '.';
  closedir(tasks);
  return count;
#else
  return 2;
#endif
}

// list(copy, pid, socket): `copy` is TRUE in the process that this call makes.
// [[Rcpp::export(rng = false)]]
Rcpp::List fork_process(std::string said) {
#ifdef DS_UNIX
  int ends[2];
  if (socketpair(AF_UNIX, SOCK_STREAM, 0, ends) != 0) Rcpp::stop("no socket for another process");
  for (int end : ends) fcntl(end, F_SETFD, FD_CLOEXEC);
  fflush(NULL);
  const pid_t parent = getpid();
  const bool threaded = session_threads() > 1;
  const pid_t pid = fork();
  if (pid < 0) {
    close(ends[0]);
    close(ends[1]);
    Rcpp::stop("the system has no room for another process");
  }
  if (pid == 0) {
    if (threaded) setenv("DEEPSTRIDE_COPY", "1", 1);  // threads.h looks for it: what the session ran is not here
    settle_copy(said.c_str(), parent);
  }
  close(ends[pid == 0 ? 0 : 1]);
  return Rcpp::List::create(Rcpp::_["copy"] = pid == 0, Rcpp::_["pid"] = static_cast<int>(pid),
                            Rcpp::_["socket"] = ends[pid == 0 ? 1 : 0]);
#else
  Rcpp::stop("this system can't fork");
#endif
}

// FALSE where nobody reads any more.
// [[Rcpp::export(rng = false)]]
bool send_message(int socket, Rcpp::RawVector bytes) {
#ifdef DS_UNIX
  const uint64_t length = static_cast<uint64_t>(bytes.size());
  return send_bytes(socket, reinterpret_cast<const char*>(&length), sizeof length) &&
         send_bytes(socket, reinterpret_cast<const char*>(RAW(bytes)), length);
#else
  return false;
#endif
}

// The message, or why there is none: "timeout" after `seconds`, "closed" where the
// other side has ended, "loud" where the file `said` has more than `loudest` bytes.
// [[Rcpp::export(rng = false)]]
SEXP receive_message(int socket, double seconds, SEXP said, double loudest) {
#ifdef DS_UNIX
  static const char* const names[] = {"whole", "timeout", "closed", "loud"};
  const char* watched = Rf_isNull(said) ? nullptr : CHAR(STRING_ELT(said, 0));
  const Receiver receiver = {socket, seconds_now() + seconds, watched, loudest};
  uint64_t length = 0;
  Outcome outcome = receiver.fill(reinterpret_cast<char*>(&length), sizeof length);
  if (outcome != whole) return Rf_mkString(names[outcome]);
  Rcpp::RawVector bytes(static_cast<R_xlen_t>(length));
  outcome = receiver.fill(reinterpret_cast<char*>(RAW(bytes)), length);
  if (outcome != whole) return Rf_mkString(names[outcome]);
  return bytes;
#else
  return Rf_mkString("closed");
#endif
}

// Ends the copy `pid` if it still runs; its exit status, or its signal as a negative number.
// [[Rcpp::export(rng = false)]]
int end_process(int pid, int socket, double wait) {
#ifdef DS_UNIX
  close(socket);
  int status = 0;
  const double until = seconds_now() + wait;
  pid_t ended = waitpid(pid, &status, WNOHANG);
  while (ended == 0 && seconds_now() < until) {
    usleep(1000);
    ended = waitpid(pid, &status, WNOHANG);
  }
  if (ended == 0) {
    kill(pid, SIGKILL);
    do ended = waitpid(pid, &status, 0);
    while (ended < 0 && errno == EINTR);
  }
  if (ended != pid) return NA_INTEGER;
  return WIFSIGNALED(status) ? -WTERMSIG(status) : WEXITSTATUS(status);
#else
  return NA_INTEGER;
#endif
}

// Ends a copy at once: no finalizers, no clean-up of what the session still needs.
// [[Rcpp::export(rng = false)]]
void leave_process(int status) {
#ifdef DS_UNIX
  leave_now(status);
#endif
}
