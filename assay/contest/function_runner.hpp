#pragma once

#include <map>
#include <memory>
#include <optional>
#include <span>
#include <string>
#include <utility>
#include <vector>

#include "assay/contest/contest.hpp"
#include "assay/contest/prepare_functions.hpp"
#include "assay/contest/slices.hpp"
#include "assay/contest/threads.hpp"
#include "assay/engine/trial_runner.hpp"
#include "assay/metrics/catalogue.hpp"
#include "assay/model/design.hpp"
#include "assay/model/log.hpp"
#include "assay/places/sample_collector.hpp"

namespace assay::contest {

/// Runs and times the functions of a comparison in this process.
///
/// Every round lays memory out again: copies of the functions, and the input that they share, are made in a
/// new random order, with blocks of random size in between. Where things lie in memory makes one of two
/// equal functions the faster one, so it has to vary by round like all else that does. An input that takes
/// long to make is kept for some rounds; since all functions share it, it favours none.
class FunctionRunner : public engine::TrialRunner {
 public:
  /// REQUIRES: everything but `variants` outlives it.
  FunctionRunner(const Contest::ComparisonSpec& parts, const Options& options, const Design& design,
                 IdTable<CandidateId, FunctionVariant> variants);
  ~FunctionRunner() override;

  /// Calls a cell's function once and compares what it returns with the baseline's. One whose candidate took
  /// too long at a smaller size is absent, and is not called.
  Trial check(CellId cell, std::optional<CellId> baseline, const std::stop_token& stop) override;

  /// The cells of one setting, in slices, for their share of the time.
  std::vector<Trial> run(const Batch& batch, const std::stop_token& stop) override;

  CodeSampleLog code_samples() override;

  bool runs_in_batch(CellId /*cell*/) const override { return true; }
  bool needs_final_check(CellId) const override { return true; }
  void close() override;

 private:
  struct PreparedFunction;
  /// The input of a setting, which all its functions share.
  struct Shared {
    std::unique_ptr<Input> input;
    double cost = 0;                ///< seconds to make it, the last time
    double making = 0, slices = 0;  ///< seconds in all, of copies and inputs and of slices
    bool reported = false;          ///< that making takes the more
    double seconds_since = 0;       ///< of slices, since it was made
  };

  PreparedFunction& prepared(CellId cell);
  std::unique_ptr<Input> made_input(const Setting& setting) const;
  void lay_out_anew(std::span<const CellId> cells);
  void renew_input(Shared& shared, const Setting& setting);
  void tell_what_takes_long(Shared& shared, const Setting& setting) const;
  void make_ready(PreparedFunction& prepared, int round, Trial& trial);
  void first_call(PreparedFunction& prepared, int round, Trial& trial);
  void count(PreparedFunction& prepared, Trial& trial);
  void read_slices(const PreparedFunction& prepared, Trial& trial) const;
  /// The slices of a round, sampled.
  void run_sampled(const Batch& batch, std::span<TimedFunction> playing,
                   std::span<const std::pair<Trial*, PreparedFunction*>> of, double seconds);
  void add(Trial& trial, metrics::MetricKind metric, double value) const;

  const Contest::ComparisonSpec& parts_;
  const Options& options_;
  const Design& design_;
  IdTable<CandidateId, FunctionVariant> variants_;
  metrics::MetricIndex ids_;
  ThreadCounters counters_;
  stats::Random random_;
  std::map<std::string, Shared> inputs_;
  HeapPadding padding_;
  std::map<std::int64_t, std::unique_ptr<ThreadGroup>> thread_groups_;
  std::map<CellId, std::unique_ptr<PreparedFunction>> seats_;
  SizeLimit slow_;
  engine::CodeSampling sampling_;  ///< where that was asked for
  places::SampleCollector samples_{true};
};

}  // namespace assay::contest
