// Judges numbers that one already has: minutes that a barge took on the same ten days by the old and by the
// new timetable, paired by day.

#include <assay/samples.hpp>
#include <iostream>
#include <vector>

int main() {
  const std::vector<double> before = {412, 405, 431, 418, 409, 422, 440, 415, 408, 427};
  const std::vector<double> after = {391, 388, 402, 396, 385, 399, 418, 390, 389, 404};
  const auto results = assay::compare_paired(
      before, after,
      {.metric = "travel time", .unit = "min", .margin = 0.01, .baseline = "old", .candidate = "new"});
  for (const auto& row : results.comparisons())
    std::cout << row.candidate() << " is " << row.verdict() << " than " << row.baseline() << ": "
              << row.metric() << ' ' << row.change() << '\n';
}
