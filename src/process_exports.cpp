#include <csignal>
#include <cstdio>
#include <Rcpp.h>
#ifndef _WIN32
#include <sys/resource.h>
#include <unistd.h>
#endif

// For a forked child that tries what may go wrong: what kills a process by default kills this one,
// without R's own last words (those would sweep the folder of temporary files, which belongs to the
// parent), and so many bytes more than now are all it may have.
// [[Rcpp::export(rng = false)]]
void cpp_risk_process(double room) {
  for (const int number : {SIGSEGV, SIGILL, SIGFPE, SIGABRT}) std::signal(number, SIG_DFL);
#ifndef _WIN32
  std::signal(SIGBUS, SIG_DFL);
  unsigned long pages = 0;
  if (std::FILE* own = std::fopen("/proc/self/statm", "r")) {
    if (std::fscanf(own, "%lu", &pages) != 1) pages = 0;
    std::fclose(own);
  }
  rlimit limit;
  if (pages > 0 && getrlimit(RLIMIT_AS, &limit) == 0) {
    const double wanted =
        static_cast<double>(pages) * static_cast<double>(sysconf(_SC_PAGESIZE)) + room;
    if (limit.rlim_cur == RLIM_INFINITY || static_cast<double>(limit.rlim_cur) > wanted)
      limit.rlim_cur = static_cast<rlim_t>(wanted);
    setrlimit(RLIMIT_AS, &limit);
  }
#endif
}
