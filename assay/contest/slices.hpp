#pragma once

#include <cstdint>
#include <memory>
#include <span>
#include <string>
#include <vector>

#include "assay/contest/callable.hpp"
#include "assay/contest/team.hpp"
#include "assay/stats/random.hpp"

namespace assay::inline v1::contest {

/// A candidate at one setting, ready to be timed.
struct Contender {
  Callable* callable = nullptr;
  Input* input = nullptr;
  int copy = 0;                                       ///< which instantiation of its code runs
  Team* team = nullptr;                               ///< several threads at once; none: this one
  std::vector<std::unique_ptr<Callable>> of_threads;  ///< each thread's own copy
  std::uint64_t calls = 0;                            ///< of one slice; 0: not calibrated yet
  unsigned every = 1;                                 ///< takes part in every so many blocks
  std::vector<double> seconds_per_call;               ///< of each slice since it was last cleared
  std::uint64_t calls_made = 0;
  std::string thrown;  ///< what it threw, since it was last cleared; it takes no further part
};

/// Times one slice (of every thread at once, where there are several): seconds, with the cost of reading the
/// clock taken off. The one place from which every candidate of every contest is called.
double time_slice(Contender& contender, std::uint64_t calls);

/// Finds how many calls make a slice of `seconds`, at least one and at most what fits the time; copies for
/// functions that consume their input are limited to 64 MiB of their own size, and to 10 000.
void calibrate(Contender& contender, double seconds);

/// What went wrong, in words; to be called from within a catch block.
std::string what_was_thrown();

/// Runs slices for about `seconds`: blocks in which each contender (those with `every` above 1 in some of
/// them) has one slice, in an order drawn afresh. At least one block. Nothing but the timing happens between
/// the slices of a block. What a contender throws is put into it, and the others go on. Returns the seconds
/// spent inside slices.
double run_blocks(std::span<Contender> contenders, double seconds, stats::Random& random);

}  // namespace assay::inline v1::contest
