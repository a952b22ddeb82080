#include <Rcpp.h>
#include "group_search.h"

// Groups far above everybody in a target. `attributes` are lists of `bin` (raw, one a row), `bins`,
// `ordered`, `missing` and `rest` (a bin or -1). A list by group of `attribute` (from 1), `inside`
// (bins from 0, a list by condition), `size`, `sum`, `quality` and `copies`.
// [[Rcpp::export(rng = false)]]
Rcpp::List cpp_find_groups(Rcpp::List attributes, Rcpp::NumericVector target, Rcpp::List limits) {
  const std::vector<double> y(target.begin(), target.end());
  std::vector<nubrek::SearchAttribute> of;
  for (R_xlen_t a = 0; a < attributes.size(); ++a) {
    const Rcpp::List one = attributes[a];
    const Rcpp::RawVector bin = one["bin"];
    const int bins = Rcpp::as<int>(one["bins"]);
    if (bins > 64 || bin.size() != target.size()) Rcpp::stop("bins do not fit");
    for (const unsigned char b : bin)
      if (b >= bins) Rcpp::stop("a bin is out of range");
    of.push_back({RAW(bin), bins, Rcpp::as<bool>(one["ordered"]), Rcpp::as<int>(one["missing"]),
                  Rcpp::as<int>(one["rest"])});
  }
  const auto whole = [&](const char* name) {
    return static_cast<std::size_t>(Rcpp::as<double>(limits[name]));
  };
  const std::vector<nubrek::FoundGroup> found =
      nubrek::find_groups(of, y,
                          {whole("least"), Rcpp::as<int>(limits["depth"]), whole("beam"),
                           whole("per_set"), whole("keep"), Rcpp::as<double>(limits["gain"]),
                           Rcpp::as<double>(limits["same"]), Rcpp::as<int>(limits["threads"])});
  Rcpp::List out(static_cast<R_xlen_t>(found.size()));
  for (std::size_t g = 0; g < found.size(); ++g) {
    Rcpp::IntegerVector attribute;
    Rcpp::List inside;
    for (const auto& condition : found[g].conditions) {
      attribute.push_back(condition.attribute + 1);
      Rcpp::IntegerVector bins;
      for (int b = 0; b < 64; ++b)
        if ((condition.inside >> b) & 1U) bins.push_back(b);
      inside.push_back(bins);
    }
    out[static_cast<R_xlen_t>(g)] =
        Rcpp::List::create(Rcpp::_["attribute"] = attribute, Rcpp::_["inside"] = inside,
                           Rcpp::_["size"] = static_cast<double>(found[g].size),
                           Rcpp::_["sum"] = found[g].sum, Rcpp::_["quality"] = found[g].quality,
                           Rcpp::_["copies"] = static_cast<double>(found[g].copies));
  }
  return out;
}
