#include <Rcpp.h>
#include <sys/stat.h>

#include <filesystem>

#include "input_file.h"

// A head and behind it the numbers as they lie in memory, integers and factors as such, everything
// else as doubles; false where not all could be written.
// [[Rcpp::export(rng = false)]]
bool cpp_write_array(SEXP values, Rcpp::RawVector head, std::string path) {
  const bool whole = TYPEOF(values) == INTSXP;
  const std::size_t n = static_cast<std::size_t>(Rf_xlength(values));
  const void* const at =
      whole ? static_cast<const void*>(INTEGER(values)) : static_cast<const void*>(REAL(values));
  std::FILE* const file = std::fopen(path.c_str(), "wb");
  if (!file) return false;
  bool good = std::fwrite(RAW(head), 1, static_cast<std::size_t>(head.size()), file) ==
              static_cast<std::size_t>(head.size());
  good = good && std::fwrite(at, whole ? sizeof(int) : sizeof(double), n, file) == n;
  return std::fclose(file) == 0 && good;
}

// So many numbers of a file, behind so many bytes; an error where it is cut short.
// [[Rcpp::export(rng = false)]]
SEXP cpp_read_array(std::string path, int skip, double n, bool whole) {
  nubrek::InputFile file(path);
  Rcpp::RawVector head(skip);
  file.read(reinterpret_cast<char*>(RAW(head)), static_cast<std::size_t>(skip));
  const Rcpp::Shield<SEXP> out(Rf_allocVector(whole ? INTSXP : REALSXP, static_cast<R_xlen_t>(n)));
  const std::size_t size = static_cast<std::size_t>(n) * (whole ? sizeof(int) : sizeof(double));
  char* const to =
      whole ? reinterpret_cast<char*>(INTEGER(out)) : reinterpret_cast<char*>(REAL(out));
  if (file.read(to, size) != size) Rcpp::stop("an array is cut short");
  return out;
}

// Copies a file, its bytes never passing through this process where the system can do it by itself;
// why not, otherwise.
// [[Rcpp::export(rng = false)]]
std::string cpp_copy_file(std::string from, std::string to) {
  std::error_code trouble;
  const bool done = std::filesystem::copy_file(from, to, trouble);
  return done ? "" : trouble.message();
}

// Size, the times when contents and entry changed, and the number of a file; empty where there is
// none.
// [[Rcpp::export(rng = false)]]
std::string cpp_file_stamp(std::string path) {
#ifdef _WIN32
  struct _stat64 found;
  if (_stat64(path.c_str(), &found) != 0) return "";
  const long long fine_change = 0, fine_entry = 0;
#else
  struct stat found;
  if (stat(path.c_str(), &found) != 0) return "";
#ifdef __APPLE__
  const long long fine_change = found.st_mtimespec.tv_nsec, fine_entry = found.st_ctimespec.tv_nsec;
#else
  const long long fine_change = found.st_mtim.tv_nsec, fine_entry = found.st_ctim.tv_nsec;
#endif
#endif
  const long long told[] = {static_cast<long long>(found.st_size),
                            static_cast<long long>(found.st_mtime),
                            fine_change,
                            static_cast<long long>(found.st_ctime),
                            fine_entry,
                            static_cast<long long>(found.st_ino),
                            static_cast<long long>(found.st_dev)};
  std::string stamp;
  for (const long long part : told) stamp += std::to_string(part) + " ";
  stamp.pop_back();
  return stamp;
}
