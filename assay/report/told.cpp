#include "assay/report/told.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>

#include "assay/judge/times.hpp"
#include "assay/metrics/catalogue.hpp"
#include "assay/report/sentences.hpp"
#include "assay/report/units.hpp"
#include "assay/report/where.hpp"
#include "assay/report/words.hpp"

namespace assay::inline v1::report {
namespace {

/// Whether a called effect is so ill known that its size should not be quoted: those called early come out
/// too large on the average.
bool is_ill_known(const Finding& f) {
  if (f.verdict != Verdict::better && f.verdict != Verdict::worse) return false;
  constexpr double part = 1.0 / 3;
  const auto at = [&](double x) { return Effect{f.effect.scale, x}.on_test_scale(); };
  return 0.5 * (at(f.interval.high) - at(f.interval.low)) > part * f.effect.distance();
}

/// Whether a few rounds showed the effect, too few for an interval.
bool is_only_seen(const Finding& f) {
  const bool nothing_below = f.effect.is_ratio() ? f.interval.low <= 0 : !std::isfinite(f.interval.low);
  return nothing_below && !std::isfinite(f.interval.high);
}

/// "wall time −5.0 % (−5.4 … −4.6 %)"; "at least −1.2 %" where the effect is ill known.
std::string said_of(const Findings& all, const Finding& f) {
  const auto& metric = all.metric_of(f);
  const bool falls = f.effect.on_test_scale() < 0;
  const Effect nearest{f.effect.scale, falls ? f.interval.high : f.interval.low};
  if (is_only_seen(f))
    return fmt::format("{} {} seen in {} {}", metric.name, effect_text(f.effect, metric.unit), f.rounds,
                       f.rounds == 1 ? "round" : "rounds");
  return fmt::format(
      "{} {} ({})", metric.name,
      is_ill_known(f) ? "at least " + effect_text(nearest, metric.unit) : effect_text(f.effect, metric.unit),
      range_text(f.interval, metric.scale, metric.unit));
}

/// "; wall time −26 % (−50 … −6 %)": what is told beside a finding.
std::string beside_of(const Findings& all, const Finding& f) {
  std::string text;
  for (const auto& other : all.findings)
    if (other.of == f.of && is_watched(all, other) && judge::is_beside(all, other))
      text += "; " + said_of(all, other);
  return text;
}

bool is_one_of_two_times(const Metric& metric) {
  return metrics::is(metric, metrics::Known::wall_time) || metrics::is_implied(metric);
}

bool is_called(Verdict verdict) { return verdict == Verdict::better || verdict == Verdict::worse; }

Told of_one(const Findings& all, const Finding& f) {
  const auto baseline = all.candidate(all.baseline_of(f)).name;
  const auto figures = ": " + said_of(all, f) + beside_of(all, f);
  switch (f.verdict) {
    case Verdict::better:
    case Verdict::worse:
      return {verdict_phrase(all.metric_of(f), f.verdict), " than " + baseline + figures};
    case Verdict::same:
      return {"same", fmt::format(" as {}, within {:.3g} %{}", baseline, f.margin * 100, figures)};
    case Verdict::differs:
      return {"differs", fmt::format(" from {}: {}", baseline, said_of(all, f))};
    case Verdict::unclear:
      break;
  }
  return {"no verdict", " against " + baseline + " yet" + figures};
}

/// Findings on one metric, or on times that decide for each other: what is told of them together.
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
  const Finding *low = nullptr, *high = nullptr;
  bool one_metric = true;
  for (const auto* f : group.findings) {
    if (f->verdict != verdict) continue;
    one_metric = one_metric && (low == nullptr || f->metric == low->metric);
    if (low == nullptr || f->effect.value < low->effect.value) low = f;
    if (high == nullptr || f->effect.value > high->effect.value) high = f;
  }
  return (one_metric ? all.metric_of(*low).name : "time") + " " +
         span_of_effects(low->effect, high->effect, all.metric_of(*low).unit);
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
  if (const auto where = where_among(all, some, group.findings); !where.empty()) return " " + where;
  return first ? fmt::format(" in {} of {}", some.size(), whole) : fmt::format(" in {}", some.size());
}

/// " seen in 3 rounds", where that is all there is to say.
std::string seen_text(const Group& group, Verdict verdict) {
  std::size_t most = 0;
  for (const auto* f : group.findings) {
    if (f->verdict != verdict) continue;
    if (!is_only_seen(*f)) return {};
    most = std::max(most, f->rounds);
  }
  return fmt::format(" seen in {} round{}", most, most == 1 ? "" : "s");
}

/// Of one comparison: "faster than list (wall time −49 %)"; of several: "faster than list from 800 locks on
/// (wall time −12 % to −40 %), slower at 200 locks (…)". `baseline` is named by the first words only.
Told of_group(const Findings& all, const Group& group, const std::string& baseline) {
  constexpr std::array verdicts = {Verdict::better, Verdict::worse, Verdict::same, Verdict::differs,
                                   Verdict::unclear};
  const auto than = [&](Verdict verdict) {
    if (baseline.empty()) return std::string{};
    return (is_called(verdict)            ? " than "
            : verdict == Verdict::same    ? " as "
            : verdict == Verdict::differs ? " from "
                                          : " against ") +
           baseline;
  };
  Told told;
  for (const auto verdict : verdicts) {
    const auto count = static_cast<std::size_t>(
        std::ranges::count(group.findings, verdict, [](const Finding* f) { return f->verdict; }));
    if (count == 0) continue;
    const bool first = told.head.empty();
    const auto phrase = is_called(verdict)            ? verdict_phrase(*group.metric, verdict)
                        : verdict == Verdict::unclear ? "no verdict yet"
                                                      : verdict_word(*group.metric, verdict);
    const auto where =
        group.shares(verdict) && baseline.empty() ? "" : where_text(all, group, verdict, first);
    const auto text = where + " (" + span_text_of(all, group, verdict) + seen_text(group, verdict) + ")";
    if (first)
      told = {phrase, than(verdict) + text};
    else
      told.rest += ", " + phrase + text;
  }
  return told;
}

/// How a further metric is joined on: "and" where both go the same way, "but" where they go opposite ways.
std::string joint(const Group& before, const Group& next) {
  for (const auto verdict : {Verdict::better, Verdict::worse}) {
    const auto opposite = verdict == Verdict::better ? Verdict::worse : Verdict::better;
    if (before.shares(verdict) && next.shares(verdict)) return " and ";
    if (before.shares(verdict) && next.shares(opposite)) return ", but ";
  }
  return ", ";
}

Told of_many(const Findings& all, const std::vector<const Finding*>& findings) {
  const auto baseline = all.candidate(all.baseline_of(*findings.front())).name;
  const auto groups = groups_of(all, findings);
  auto told = of_group(all, groups.front(), baseline);
  for (std::size_t i = 1; i < groups.size(); ++i) {
    const auto more = of_group(all, groups[i], {});
    told.rest += joint(groups[i - 1], groups[i]) + more.head + more.rest;
  }
  return told;
}

}  // namespace

Told told_of(const Findings& all, const std::vector<const Finding*>& of_one_candidate) {
  return of_one_candidate.size() == 1 ? of_one(all, *of_one_candidate.front())
                                      : of_many(all, of_one_candidate);
}

}  // namespace assay::inline v1::report
