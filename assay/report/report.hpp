#pragma once

#include <optional>
#include <string>
#include <utility>
#include <variant>
#include <vector>

#include "assay/model/log.hpp"
#include "assay/model/results.hpp"
#include "assay/report/sentence.hpp"
#include "assay/report/summary_lines.hpp"

namespace assay::report {

/// Comparisons on one metric as a table: candidates down; across, workloads with their settings.
struct Overview {
  struct Entry {
    const Finding* finding = nullptr;  ///< none: nothing was compared there
    std::optional<StatusCode> status;  ///< the candidate's, where it is not ok
    std::string text;                  ///< in a few characters: "−12 % +", or its status
  };
  std::vector<std::string> columns;      ///< "orders, locks=200"; of one workload: "locks=200"
  std::vector<CandidateId> candidates;   ///< without twins and those never compared
  std::vector<std::string> names;        ///< of these
  std::vector<std::vector<Entry>> rows;  ///< by candidate, then column
};

/// All comparisons on a metric, or those of one workload, each by the metric that decides it; columns and
/// candidates in the campaign's order. Without columns where there are none. Cost: linear in findings and
/// cells, times their logarithm.
Overview make_overview(const Findings& findings, MetricId metric, std::optional<WorkloadId> workload = {});

/// All metrics of one workload and setting: a line for each metric, a pair of columns for each candidate that
/// has this baseline.
struct Profile {
  struct Entry {
    std::string typical, change;  ///< empty: it has no value
    std::string sign;             ///< as of a finding: "+", "!", "="; empty where nothing is known
  };
  struct Line {
    std::string metric, baseline;  ///< the baseline's typical value; empty: it has none
    std::vector<Entry> entries;    ///< by candidate
  };
  std::string where;  ///< "orders, locks=800"; empty where there is but one place
  std::string baseline;
  std::vector<std::string> candidates;
  std::vector<Line> lines;
};

/// A profile for each place and baseline, in the campaign's order; metrics in theirs. Cost: linear in the
/// findings' profile, times its logarithm.
std::vector<Profile> make_profiles(const Findings& findings);

/// One comparison on one metric, or a cell in whose place there is none, in words.
struct Row {
  const Finding* finding = nullptr;  ///< none: its cell is not ok
  CellId cell;                       ///< the candidate's
  std::string candidate, setting;
  std::vector<std::string> levels;  ///< of the setting, in the order of the factors' names
  std::string where;                ///< "orders, locks=800"; without the workload where there is but one
  std::string baseline, baseline_typical, typical, change, interval;
  std::string sign, verdict;  ///< "+", "faster"; of a cell that is not ok, none and its status
  std::string rest;           ///< the mean, and how many runs were slow; empty where that is unknown
  std::string machines;       ///< what each of several machines shows; empty: one ran all its rounds
  std::string runs;    ///< fast and typical runs apart, where the change is that of the fast ones; else empty
  std::string limit;   ///< that a side is at its declared ceiling, and what of it; else empty
  std::string within;  ///< how values spread within a trial, of a metric with many values; else empty
  std::string related;        ///< other metrics that moved besides; empty: none
  std::string rounds_needed;  ///< what it takes to decide it; empty: it is decided
  std::string reason;         ///< why there is no value, in a few words
};

/// The comparisons of one setting, and what they are compared with: "locks=200, list: 412 ms".
struct SettingRows {
  std::string setting, baseline_text;
  std::vector<Row> rows;  ///< findings first, then what is missing
};

/// All that was found for one workload on one watched metric.
struct ComparisonTable {
  WorkloadId workload;
  MetricId metric;
  std::string workload_name, metric_name;
  std::string unit;             ///< where values don't show it themselves
  std::string unit_of_effects;  ///< the metric's own
  std::string better;           ///< "lower is better"
  std::string baseline;         ///< its name, or "its baseline" where there are several
  std::string rules;            ///< "margin 1 %; 7 to 20 rounds", or "exact"
  std::vector<std::string>
      factors;              ///< of all its settings, in the order of Row::levels; empty where they differ
  std::string margin_text;  ///< "a change matters from 1 % on"
  std::string advice;  ///< what would decide its unclear findings sooner than more rounds; empty: nothing
  /// The text in its place where there is little room: another block tells the same work more exactly.
  /// Empty: it stands for itself.
  std::string in_short;
  std::vector<SettingRows> settings;
  Overview overview;  ///< the same, candidates down and settings across

  /// The one candidate, where each setting has one row at most, and all are of it and one baseline; else
  /// null.
  const Row* single_row() const;

  /// Its findings in the order of Findings; REQUIRES the Findings that it was made from.
  std::vector<const Finding*> findings() const;
};

/// All comparisons on one metric, where there are enough for a view of the whole.
struct MatrixView {
  MetricId metric;
  std::string metric_name;
  Overview overview;
};

/// Typical values over a factor, a line for each candidate.
struct GrowthChart {
  std::vector<const ScalingCurve*> trends;
};
/// Each trial of some cells, or each over the rounds.
struct TrialsChart {
  MetricId metric;
  std::vector<CellId> cells;
  bool over_rounds = false;
};
/// The values of a metric over a trial's own time, or in their order where they have no times.
struct TimelineChart {
  MetricId metric;
  std::vector<CellId> cells;
};
/// Typical values of the candidates in the plan's order, a line for each setting, with where most trials lie.
struct TypicalChart {
  MetricId metric;
  std::vector<CellId> cells;
};
/// The change by decile of the runs, a line for each comparison.
struct DecileChart {
  MetricId metric;
  WorkloadId workload;
};
/// Latency by quantile, of servers.
struct LatencyChart {
  std::vector<CellId> cells;
};
/// Typical values over a factor whose levels are numbers.
struct SweepChart {
  MetricId metric;
  std::string factor;
  std::vector<CellId> cells;
};
struct Chart {
  std::string heading, legend;
  bool folded = false;  ///< of use only to some readers
  std::variant<GrowthChart, TimelineChart, TypicalChart, TrialsChart, DecileChart, LatencyChart, SweepChart>
      of;
};

struct LeftOut {
  std::string who, what;
};
struct NoteLine {
  std::string about, text;
  std::string candidate;  ///< where it is about one, or one of its cells
  Note::Level level;
  NoteKind kind;
};
struct ProgramLine {
  std::string name, identity, commit, compiler, flags;
};

/// A campaign's results in words, in the order of printing. Renderers choose what they have room
/// for and how it is set, and add no words about findings. Borrows from the Findings that it was made from.
struct Report {
  std::string title;              ///< "Findings" where the campaign has none
  std::string extent;             ///< "12 comparisons, 7 to 28 rounds, 61 s"
  std::vector<std::string> ways;  ///< how programs were run, where the campaign chose
  std::string warning;            ///< that this machine can't be trusted, before all else; empty: it can
  std::string provisional;        ///< why more may come; empty: the campaign has ended
  std::vector<std::string> confirmations;  ///< what measuring again made of each finding
  CandidateSummary candidates;             ///< a sentence for each candidate
  std::vector<ComparisonTable> blocks;
  std::vector<MatrixView> views;
  std::vector<Profile> profiles;
  std::vector<LineGroup> aggregates;  ///< what several findings say together
  std::vector<std::string> parts;     ///< of overall changes
  std::vector<std::string> trends, latencies, requirements, first_calls, twins;
  std::vector<std::string> other_changes;  ///< metrics that are not watched
  std::vector<Chart> charts;
  std::vector<LeftOut> left_out;
  std::vector<NoteLine> notes;
  std::vector<ProgramLine> programs;
  std::vector<std::pair<std::string, std::string>> facts;  ///< name and value
  std::string repeat;  ///< the command that measures it again; empty: not known
};

/// REQUIRES: `findings` outlives the report. With `record`, of which they were judged, the report has charts
/// of trials and the machine's facts. Cost: linear in findings and cells, for each block.
Report make_report(const Findings& findings, const Record* record = nullptr);

}  // namespace assay::report
