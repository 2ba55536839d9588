#include "assay/report/sentence.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <limits>

#include "assay/judge/aggregates.hpp"
#include "assay/judge/cpu_wall.hpp"
#include "assay/judge/paired_test.hpp"
#include "assay/metrics/catalogue.hpp"
#include "assay/report/format.hpp"
#include "assay/report/machines_text.hpp"
#include "assay/schedule/interim_looks.hpp"

namespace assay::report {

namespace {

/// Whether the size of a called effect should not be quoted: before six rounds with repeats only that it is
/// large is known.
bool is_known_at_least(const Finding& f) {
  if (f.verdict != Verdict::better && f.verdict != Verdict::worse) return false;
  return (f.replication.is_replicated() && f.rounds < static_cast<std::size_t>(schedule::fewest_medians)) ||
         is_imprecise(f.effect, f.interval);
}

/// Whether a few rounds showed the effect, too few for an interval.
bool has_no_interval(const Finding& f) {
  const bool nothing_below = f.effect.is_ratio() ? f.interval.low <= 0 : !std::isfinite(f.interval.low);
  return nothing_below && !std::isfinite(f.interval.high);
}

/// "wall time −5.0 % (−5.4 … −4.6 %)"; "at least −1.2 %" where the effect is ill known.
std::string change_text(const Findings& all, const Finding& f) {
  const auto& metric = all.metric_of(f);
  const bool falls = f.effect.transformed() < 0;
  const Effect nearest{f.effect.scale, falls ? f.interval.high : f.interval.low};
  if (has_no_interval(f))
    return fmt::format("{} {} seen in {} {}", metric.name, effect_text(f.effect, metric.unit), f.rounds,
                       f.rounds == 1 ? "round" : "rounds");
  return fmt::format("{} {} ({})", metric.name,
                     is_known_at_least(f) ? "at least " + effect_text(nearest, metric.unit)
                                          : effect_text(f.effect, metric.unit),
                     range_text(f.interval, metric.scale, metric.unit));
}

/// "; wall time −26 % (−50 … −6 %)": what stands beside a finding.
std::string secondary_text(const Findings& all, const Finding& f) {
  std::string text;
  for (const auto& other : all.findings)
    if (other.comparison == f.comparison && is_watched(all, other) && judge::is_secondary(all, other))
      text += "; " + change_text(all, other);
  return text;
}

/// "took over 1.5 times as long": what slow ones did.
std::string slow_words(const Metric& metric) {
  if (metric.direction == Direction::higher) return "reached less than two thirds as much";
  return metric.is_time() ? "took over 1.5 times as long" : "took over 1.5 times as much";
}

/// Whether either side has more slow runs, as far as can be seen, and not by a chance of even odds.
bool has_slow_runs(const Finding& f) {
  return f.slow && std::min(f.slow->p_more, f.slow->p_fewer) <= judge::leaning_at;
}

/// "6 of its 60 runs took over 1.5 times as long (list: 0)"; of rounds, where a value is of many calls.
std::string slow_runs_text(const Findings& all, const Finding& f) {
  const auto& metric = all.metric_of(f);
  const auto baseline = all.candidate(all.baseline_cell(f)).name;
  const auto* runs = metrics::is_of_many_calls(metric) ? "rounds" : "runs";
  const auto& slow = *f.slow;
  return slow.candidate >= slow.baseline
             ? fmt::format("{} of its {} {} {} ({}: {})", slow.candidate, f.rounds, runs, slow_words(metric),
                           baseline, slow.baseline)
             : fmt::format("{} of {}'s {} {} {} (its own: {})", slow.baseline, baseline, f.rounds, runs,
                           slow_words(metric), slow.candidate);
}

std::string mean_text(const Finding& f) {
  return fmt::format("mean {} ({})", effect_text(f.mean->effect, {}),
                     range_text(f.mean->interval, Scale::ratio, {}));
}

/// What the rest of the runs do, where it is not what most do: ", but 6 of its 60 runs took over 1.5 times as
/// long (list: 0), mean +15 % (+2.1 … +28 %)"; of the same, what can't be known from so few rounds besides.
std::string rest_text(const Findings& all, const Finding& f) {
  std::string text;
  const bool differs =
      f.rounds_to_decide && (f.rounds_to_decide->obstacle == RoundsToDecide::Obstacle::fast_and_slow ||
                             f.rounds_to_decide->obstacle == RoundsToDecide::Obstacle::slow_runs);
  const bool any = f.slow && f.slow->only_candidate + f.slow->only_baseline > 0;
  if (any && differs && !has_slow_runs(f) && !judge::rest_is_unlike(f))
    return fmt::format(
        "; slow runs: {} of its {}, {} of {}'s, too few rounds to tell whether they are as many, {}",
        f.slow->candidate, f.rounds, f.slow->baseline, all.candidate(all.baseline_cell(f)).name,
        mean_text(f));
  if (any && (has_slow_runs(f) || differs)) text += ", but " + slow_runs_text(all, f);
  if (f.mean && (!text.empty() || differs || f.verdict == Verdict::same))
    text += (text.empty() && differs ? ", but " : ", ") + mean_text(f);
  const bool of_runs = !metrics::is_of_many_calls(all.metric_of(f));
  if (f.verdict == Verdict::same && f.slow && of_runs && f.slow->candidate == 0 && f.slow->baseline == 0)
    text += fmt::format("; slow runs in up to {:.0f} % could not have shown in {} rounds",
                        100 * f.slow->left_open, f.rounds);
  return text;
}

/// What most runs do, where there is no verdict since others do otherwise: "faster in most runs than list".
std::string in_most_runs(const Findings& all, const Finding& f, const std::string& baseline) {
  if (f.rounds_to_decide->obstacle == RoundsToDecide::Obstacle::slow_runs)
    return "like " + baseline + " in most runs";
  const bool falls = f.effect.transformed() < 0;
  const auto verdict =
      falls == (all.metric_of(f).direction != Direction::higher) ? Verdict::better : Verdict::worse;
  return verdict_phrase(all.metric_of(f), verdict) + " in most runs than " + baseline;
}

bool is_one_of_two_times(const Metric& metric) {
  return metrics::is_kind(metric, metrics::MetricKind::wall_time) || metrics::is_default_cpu_time(metric);
}

SentenceText single_sentence(const Findings& all, const Finding& f) {
  const auto baseline = all.candidate(all.baseline_cell(f)).name;
  const auto figures = ": " + change_text(all, f) + rest_text(all, f) + secondary_text(all, f);
  switch (f.verdict) {
    case Verdict::better:
    case Verdict::worse:
      return {verdict_phrase(all.metric_of(f), f.verdict), " than " + baseline + figures};
    case Verdict::same:
      return {"same", fmt::format(" as {}, within {:.3g} %{}", baseline, f.margin * 100, figures)};
    case Verdict::differs:
      return {"differs", fmt::format(" from {}: {}", baseline, change_text(all, f))};
    case Verdict::unclear:
      break;
  }
  if (f.rounds_to_decide && (f.rounds_to_decide->obstacle == RoundsToDecide::Obstacle::fast_and_slow ||
                             f.rounds_to_decide->obstacle == RoundsToDecide::Obstacle::slow_runs))
    return {in_most_runs(all, f, baseline), figures};
  if (f.machines_disagree()) return {"no verdict", " against " + baseline + ", as " + machines_text(all, f)};
  return {"no verdict", " against " + baseline + " yet" + figures};
}

/// Findings on one metric, or on times that decide for each other: what they say together.
struct Group {
  const Metric* metric = nullptr;
  std::vector<const Finding*> findings;

  bool shares(Verdict verdict) const {
    return std::ranges::all_of(findings, [&](const Finding* f) { return f->verdict == verdict; });
  }
};

std::vector<Group> groups_of(const Findings& all, const std::vector<const Finding*>& findings) {
  std::vector<Group> groups;
  for (const auto* f : findings) {
    const auto& metric = all.metric_of(*f);
    const auto known = std::ranges::find_if(groups, [&](const Group& group) {
      return group.metric == &metric || (is_one_of_two_times(metric) && is_one_of_two_times(*group.metric));
    });
    if (known == groups.end())
      groups.push_back({.metric = &metric, .findings = {f}});
    else
      known->findings.push_back(f);
  }
  return groups;
}

/// "wall time −12 % to ÷3.2".
std::string span_text_of(const Findings& all, const Group& group, Verdict verdict) {
  std::vector<const Finding*> some;
  for (const auto* f : group.findings)
    if (f->verdict == verdict) some.push_back(f);
  const auto& first = *some.front();
  const bool one_metric =
      std::ranges::all_of(some, [&](const Finding* f) { return f->metric == first.metric; });
  const auto effects = judge::drawn_together(some);
  const auto [low, high] = std::ranges::minmax(effects, {}, &Effect::value);
  return (one_metric ? all.metric_of(first).name : "time") + " " +
         effect_range(low, high, all.metric_of(first).unit);
}

/// " from 800 locks on"; " in 3 of 7" where no name is as short; nothing of the only one.
std::string where_text(const Findings& all, const Group& group, Verdict verdict, bool first) {
  std::vector<const Finding*> some;
  for (const auto* f : group.findings)
    if (f->verdict == verdict) some.push_back(f);
  const auto whole = group.findings.size();
  if (whole == 1) return {};
  if (some.size() == whole)
    return whole == 2 ? " in both comparisons" : fmt::format(" in all {} comparisons", whole);
  if (const auto where = location_phrase(all, some, group.findings); !where.empty()) return " " + where;
  return first ? fmt::format(" in {} of {}", some.size(), whole) : fmt::format(" in {}", some.size());
}

/// " seen in 3 rounds", where that is all there is to say.
std::string descriptive_text(const Group& group, Verdict verdict) {
  std::size_t most = 0;
  for (const auto* f : group.findings) {
    if (f->verdict != verdict) continue;
    if (!has_no_interval(*f)) return {};
    most = std::max(most, f->rounds);
  }
  return fmt::format(" seen in {} round{}", most, most == 1 ? "" : "s");
}

/// Of one comparison: "faster than list (wall time −49 %)"; of several: "faster than list from 800 locks on
/// (wall time −12 % to −40 %), slower at 200 locks (…)". `baseline` is named by the first words only.
SentenceText of_group(const Findings& all, const Group& group, const std::string& baseline) {
  constexpr std::array verdicts = {Verdict::better, Verdict::worse, Verdict::same, Verdict::differs,
                                   Verdict::unclear};
  const auto than = [&](Verdict verdict) {
    if (baseline.empty()) return std::string{};
    return (is_change(verdict)            ? " than "
            : verdict == Verdict::same    ? " as "
            : verdict == Verdict::differs ? " from "
                                          : " against ") +
           baseline;
  };
  SentenceText text;
  for (const auto verdict : verdicts) {
    const auto count = static_cast<std::size_t>(
        std::ranges::count(group.findings, verdict, [](const Finding* f) { return f->verdict; }));
    if (count == 0) continue;
    const bool first = text.head.empty();
    const auto phrase = is_change(verdict)            ? verdict_phrase(*group.metric, verdict)
                        : verdict == Verdict::unclear ? "no verdict yet"
                                                      : verdict_word(*group.metric, verdict);
    const auto where =
        group.shares(verdict) && baseline.empty() ? "" : where_text(all, group, verdict, first);
    const auto details =
        where + " (" + span_text_of(all, group, verdict) + descriptive_text(group, verdict) + ")";
    if (first)
      text = {phrase, than(verdict) + details};
    else
      text.rest += ", " + phrase + details;
  }
  return text;
}

/// How a further metric is joined on: "and" where both go the same way, "but" where they go opposite ways.
std::string conjunction(const Group& before, const Group& next) {
  for (const auto verdict : {Verdict::better, Verdict::worse}) {
    const auto opposite = verdict == Verdict::better ? Verdict::worse : Verdict::better;
    if (before.shares(verdict) && next.shares(verdict)) return " and ";
    if (before.shares(verdict) && next.shares(opposite)) return ", but ";
  }
  return ", ";
}

/// ", but slow runs or the mean differ in 2 of 12: worst, orders, locks=800: 6 of its 60 runs …".
std::string rest_of_many(const Findings& all, const std::vector<const Finding*>& findings) {
  const Finding* worst = nullptr;
  std::size_t count = 0;
  for (const auto* f : findings) {
    if (!has_slow_runs(*f)) continue;
    ++count;
    if (worst == nullptr ||
        std::min(f->slow->p_more, f->slow->p_fewer) < std::min(worst->slow->p_more, worst->slow->p_fewer))
      worst = f;
  }
  if (worst == nullptr ||  // of many, some lean by chance
      std::min(worst->slow->p_more, worst->slow->p_fewer) * static_cast<double>(findings.size()) >
          judge::withheld_at)
    return {};
  const auto where = cell_text(all, all.candidate_cell(*worst));
  return fmt::format("; in {} of {} slow runs differ, most{}{}: {}, {}", count, findings.size(),
                     where.empty() ? "" : " on ", where, slow_runs_text(all, *worst), mean_text(*worst));
}

SentenceText combined_sentence(const Findings& all, const std::vector<const Finding*>& findings) {
  const auto baseline = all.candidate(all.baseline_cell(*findings.front())).name;
  const auto groups = groups_of(all, findings);
  auto text = of_group(all, groups.front(), baseline);
  for (std::size_t i = 1; i < groups.size(); ++i) {
    const auto more = of_group(all, groups[i], {});
    text.rest += conjunction(groups[i - 1], groups[i]) + more.head + more.rest;
  }
  text.rest += rest_of_many(all, findings);
  return text;
}

}  // namespace

std::string rest_figures(const Findings& all, const Finding& f) {
  if (!f.slow || !f.mean) return {};
  const bool any = f.slow->baseline + f.slow->candidate > 0;
  return mean_text(f) + "; " + (any ? slow_runs_text(all, f) : "no slow runs");
}

SentenceText sentence(const Findings& all, const std::vector<const Finding*>& of_one_candidate) {
  return of_one_candidate.size() == 1 ? single_sentence(all, *of_one_candidate.front())
                                      : combined_sentence(all, of_one_candidate);
}

namespace {

/// "± 4 to 12 %": half of the intervals that are known; empty where none is.
std::string exactness(const std::vector<const Finding*>& findings) {
  double least = std::numeric_limits<double>::infinity(), most = 0;
  for (const auto* f : findings) {
    if (!f->effect.is_ratio() || !(f->interval.low > 0) || !std::isfinite(f->interval.high)) continue;
    const double half = 50 * (f->interval.high - f->interval.low);
    least = std::min(least, half);
    most = std::max(most, half);
  }
  if (most == 0) return {};
  const auto from = fmt::format("{:.2g}", least), to = fmt::format("{:.2g}", most);
  return from == to ? " (± " + to + " %)" : " (± " + from + " to " + to + " %)";
}

}  // namespace

std::string cross_reference(const Findings& all, const std::vector<const Finding*>& findings) {
  const Metric* decides = nullptr;
  for (const auto* f : findings) {
    if (f->verdict != Verdict::unclear) return {};
    if (f->superseded_by) decides = &all.design.metrics[*f->superseded_by];
  }
  if (decides == nullptr) return {};
  return all.metric_of(*findings.front()).name + ": see " + decides->name +
         ", which measures the same work more exactly here" + exactness(findings);
}

}  // namespace assay::report
