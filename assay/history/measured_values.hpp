#pragma once

#include <cstdint>
#include <map>
#include <optional>
#include <set>
#include <string>
#include <tuple>
#include <vector>

#include "assay/model/finding.hpp"
#include "assay/model/history.hpp"
#include "assay/model/log.hpp"
#include "assay/model/metric.hpp"

namespace assay::history {

/// A workload at a setting, and the metric that is looked at there, by name.
struct SeriesKey {
  std::string workload, setting, metric;
  bool operator==(const SeriesKey&) const = default;
};

/// The effects of a campaign's rounds, candidate `later` against its baseline, on the tests' scale and turned
/// so that above 0 is worse: one for each complete round, of repeats the first. Empty where the campaign has
/// none there. Cost: one pass over its trials.
std::vector<double> regression_effects(const Record& record, CandidateId later, const SeriesKey& where);

/// What a round of two commits takes, in seconds: twice the mean wall time of the campaign's trials; 0.1
/// where it has none.
double seconds_of_pair(const Record& record);

/// 1 where a larger value is worse, else −1.
double regression_sign(const Metric& metric);

/// How one campaign found a commit beside the reference.
struct MeasuredValue {
  std::string commit;  ///< full id
  SeriesKey where;
  std::string definition;   ///< digest of the workload
  std::string environment;  ///< machine, and the reference's program there: what moves all values together
  std::string machine;
  std::string campaign;  ///< uid
  Effect effect;         ///< commit / reference
  Interval interval;
  std::size_t rounds = 0;
  std::int64_t started = 0;  ///< milliseconds since 1970
};

/// A campaign of two commits that was to tell whether a step lies between them.
struct MeasuredPair {
  CommitsCompared compared;
  double p = 1;
  std::int64_t started = 0;  ///< milliseconds since 1970
};

/// A cell of a commit that was tried beside the reference, whatever its result.
struct Attempt {
  std::string commit, workload, definition, setting, environment;
  auto operator<=>(const Attempt&) const = default;
};

/// All that a ledger has of a history.
struct MeasuredValues {
  std::set<Attempt> tried;
  std::vector<MeasuredValue> values;
  std::map<std::string, std::string> silent;  ///< commits that could not be measured, with the reason
  /// By full ids before and after, workload, setting and metric.
  std::map<std::tuple<std::string, std::string, std::string, std::string, std::string>, MeasuredPair> pairs;
  std::map<std::string, Metric> metrics;  ///< the watched ones, by name
};

/// Adds what a campaign tells: against the reference commit where that is its baseline, or as a campaign of
/// CampaignKind::step. Cost: that of judging it.
void add_record(MeasuredValues& archive, const Record& record, const std::string& reference);

/// The same, and keeps what it adds in the campaign's ledger, where that is one, for those who read it next.
void add_and_keep(MeasuredValues& archive, const Record& record, const std::string& reference,
                  const std::string& ledger);

/// What every campaign tells that compares commits with the reference, and those of CampaignKind::step: of those that have
/// ended it is judged once and kept (Ledger::keep_history_values()), where this process may write. A ledger that is not there
/// has none. Cost: three queries, and that of reading and judging the campaigns of which nothing is kept.
MeasuredValues read_measured_values(const std::string& ledger, const std::string& reference);

/// The values of a history's campaigns as text, which deserialize() reads back.
std::string serialize(const MeasuredValues& archive, const std::string& reference);

/// Adds what serialize() wrote, where it is of this reference, or of a pair of commits. Throws Error for a
/// text that is none.
void deserialize(MeasuredValues& archive, const std::string& text, const std::string& reference);

}  // namespace assay::history
