#include <csignal>
#include <Rcpp.h>

// What kills a process by default kills this one, without R's own last words: in a forked child those would sweep the folder of
// temporary files that belongs to the parent.
// [[Rcpp::export(rng = false)]]
void cpp_die_quietly() {
  for (const int number : {SIGSEGV, SIGILL, SIGFPE, SIGABRT}) std::signal(number, SIG_DFL);
#ifdef SIGBUS
  std::signal(SIGBUS, SIG_DFL);
#endif
}
