#pragma once

#include <fstream>
#include <map>
#include <sstream>
#include <stdexcept>
#include <string>
#include <vector>

namespace assay::test {
using namespace model;

/// The values of this name in tests/reference/values.txt, which R computed (make_values.R beside it).
inline const std::vector<double>& reference(const std::string& name) {
  static const auto all = [] {
    std::map<std::string, std::vector<double>> values;
    std::ifstream file(std::string(ASSAY_SOURCE) + "/tests/reference/values.txt");
    for (std::string line; std::getline(file, line);) {
      std::istringstream words(line);
      std::string key, word;
      words >> key;
      while (words >> word) values[key].push_back(std::stod(word));
    }
    return values;
  }();
  const auto found = all.find(name);
  if (found == all.end()) throw std::out_of_range("no reference value " + name);
  return found->second;
}

}  // namespace assay::test

/// Agreement to 1e-8 relative, or to rounding near zero.
#define EXPECT_AGREES(value, expected) EXPECT_NEAR(value, expected, 1e-8 * std::abs(expected) + 1e-13)
