// Thread counts of the libraries that are loaded, and limits of this process.
#include <Rcpp.h>

#if defined(__linux__) || defined(__APPLE__)
#include <dlfcn.h>
#include <sys/resource.h>
#define DS_UNIX 1
#endif

namespace {

typedef void (*setter)(int);
typedef int (*getter)();

struct Runtime {
  const char* name;
  const char* libraries[4];
  const char* get;
  const char* set;
};

const Runtime runtimes[] = {
    {"OpenMP", {"libgomp.so.1", "libomp.so.5", "libiomp5.so", nullptr}, "omp_get_max_threads", "omp_set_num_threads"},
    {"OpenBLAS", {"libopenblas.so.0", "libblas.so.3", nullptr, nullptr}, "openblas_get_num_threads", "openblas_set_num_threads"},
};

#ifdef DS_UNIX
// A routine of a library that is loaded already; nothing is loaded for it.
void* routine(const Runtime& runtime, const char* symbol) {
  for (const char* const* library = runtime.libraries; *library; ++library) {
    void* handle = dlopen(*library, RTLD_LAZY | RTLD_NOLOAD);
    if (!handle) continue;
    void* found = dlsym(handle, symbol);
    dlclose(handle);
    if (found) return found;
  }
  return nullptr;
}
#endif

}  // namespace

// Thread counts of the runtimes that are loaded, by name. Where `threads` has a
// runtime's name, its count is set first; the counts from before are returned.
// [[Rcpp::export(rng = false)]]
Rcpp::IntegerVector thread_counts(Rcpp::IntegerVector threads) {
  Rcpp::IntegerVector before;
  Rcpp::CharacterVector names;
#ifdef DS_UNIX
  for (const Runtime& runtime : runtimes) {
    getter get = reinterpret_cast<getter>(routine(runtime, runtime.get));
    setter set = reinterpret_cast<setter>(routine(runtime, runtime.set));
    if (!get || !set) continue;
    before.push_back(get());
    names.push_back(runtime.name);
    if (threads.size() && threads.containsElementNamed(runtime.name)) set(threads[runtime.name]);
  }
#endif
  if (before.size()) before.names() = names;
  return before;
}

// Caps the address space of this process; FALSE where the platform can't.
// [[Rcpp::export(rng = false)]]
bool limit_memory(double bytes) {
#ifdef DS_UNIX
  rlimit limit;
  if (getrlimit(RLIMIT_AS, &limit) != 0) return false;
  limit.rlim_cur = static_cast<rlim_t>(bytes);
  return setrlimit(RLIMIT_AS, &limit) == 0;
#else
  return false;
#endif
}
