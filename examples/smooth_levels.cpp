// Smoothing a year of water levels, one an hour, by the mean of a day around each: adding each window up
// again, against one running sum. The sums round differently, so the answers agree within a tolerance; and a
// call has to be quick enough to be made on every new reading.

#include <assay/contest.hpp>

#include "canals.hpp"

int main(int argc, char** argv) {
  assay::Contest contest("smoothing water levels");
  contest.input(make_levels);
  contest.baseline("windows", smooth_by_windows);
  contest.candidate("running sum", smooth_by_running_sum);
  contest.answer_tolerance(1e-9);
  contest.work(hours, "levels");
  contest.require("time per call", "< 2 ms");
  return assay::run_main(contest, argc, argv);
}
