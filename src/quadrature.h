// Gauss-Legendre nodes and weights on [0, 1] (Golub & Welsch 1969 give the theory; here by Newton
// steps on the polynomial).
#pragma once
#include <cmath>
#include <cstddef>
#include <vector>

namespace nubrek {

struct Rule {
  std::vector<double> node, weight;
  explicit Rule(int n) : node(n), weight(n) {
    const double pi = 3.14159265358979323846;
    for (int i = 0; i < n; ++i) {
      long double x = std::cos(pi * (i + 0.75) / (n + 0.5)), slope = 1;
      for (int step = 0; step < 100; ++step) {
        long double p = 1, before = 0;
        for (int k = 1; k <= n; ++k) {
          const long double next = ((2 * k - 1) * x * p - (k - 1) * before) / k;
          before = p;
          p = next;
        }
        slope = n * (x * p - before) / (x * x - 1);
        const long double move = p / slope;
        x -= move;
        if (std::fabs(static_cast<double>(move)) < 1e-19) break;
      }
      node[i] = static_cast<double>((1 - x) / 2);
      weight[i] = static_cast<double>(1 / ((1 - x * x) * slope * slope));
    }
  }
};

}  // namespace nubrek
