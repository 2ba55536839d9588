// Judges numbers that one already has: minutes that a barge took on the same ten days by the old and by the
// new timetable, paired by day.

#include <assay/judge.hpp>
#include <iostream>
#include <vector>

int main() {
  const std::vector<double> before = {412, 405, 431, 418, 409, 422, 440, 415, 408, 427};
  const std::vector<double> after = {391, 388, 402, 396, 385, 399, 418, 390, 389, 404};
  const auto finding = assay::judge_paired(before, after, {.metric = {"travel time", "min"}, .margin = 0.01});
  std::cout << "the new timetable is " << assay::to_string(finding.verdict) << ": travel time times "
            << finding.effect.value << ", 95 % interval " << finding.interval.low << " to "
            << finding.interval.high << ", p = " << finding.p << "\n";
}
