/* A ClickHouse server, started from the engine's shared library, which has no program of its own.
   Usage: clickhouse-server libchdb.so [options of the engine ...]; it listens until it is killed. */
#include <dlfcn.h>
#include <stdio.h>
#include <string.h>

int main(int n, char **options) {
  void *engine = n > 1 ? dlopen(options[1], RTLD_NOW) : NULL;
  if (engine == NULL) {
    fprintf(stderr, "%s\n", n > 1 ? dlerror() : "Which library?");
    return 1;
  }
  void *(*run)(int, char **) = (void *(*)(int, char **))dlsym(engine, "chdb_query_cmdline");
  char *(*fault)(void *) = (char *(*)(void *))dlsym(engine, "chdb_result_error");
  if (run == NULL || fault == NULL) {
    fprintf(stderr, "%s has other functions than this needs.\n", options[1]);
    return 1;
  }
  options[1] = options[0];
  void *done = run(n - 1, options + 1);
  char *said = done == NULL ? "it did not start" : fault(done);
  if (said != NULL) fprintf(stderr, "%s\n", said);
  return said != NULL;
}
