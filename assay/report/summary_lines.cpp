#include "assay/report/summary_lines.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>
#include <set>
#include <utility>

#include "assay/metrics/catalogue.hpp"
#include "assay/model/enum_names.hpp"
#include "assay/report/format.hpp"
#include "assay/report/sentence.hpp"

namespace assay::report {

namespace {

/// Whether how a cost grows is known well enough to be reported.
bool reports_growth(const ScalingCurve& trend) {
  constexpr double narrow = 0.5;
  const auto& interval = trend.exponent_interval;
  return !trend.law.empty() || interval.high - interval.low < narrow;
}

std::string size_text(const Findings& all, const ScalingCurve& trend) {
  const auto plain = [](double x) {
    const auto digits = fmt::format("{:.1f}", std::abs(x));
    return (x < 0 && digits != "0.0" ? "−" : "") + digits;
  };
  const auto& interval = trend.exponent_interval;
  const auto law =
      trend.law.empty() ? "with exponent " + plain(trend.exponent.value_or(0)) : "as " + trend.law;
  return fmt::format("{} grows {} ({}{} … {})", all.design.candidates[trend.candidate].name, law,
                     trend.law.empty() ? "" : "exponent ", plain(interval.low), plain(interval.high));
}

/// Whether where two costs are the same is known well enough to be reported, and matters to what was
/// measured.
bool reports_crossing(const ScalingCurve& trend) {
  constexpr double near = 2, narrow = 10;
  const auto& interval = trend.crossing_interval;
  return trend.crossing && *trend.crossing > trend.at.front() / near &&
         *trend.crossing < trend.at.back() * near && interval.low > 0 &&
         interval.high < narrow * interval.low;
}

std::string crossing_text(const Findings& all, const ScalingCurve& trend) {
  const auto& candidate = all.design.candidates[trend.candidate];
  auto text = fmt::format("{} costs what {} does at about {} {}", candidate.name,
                          all.design.candidates[*candidate.baseline].name, number_text(*trend.crossing),
                          trend.factor);
  text += fmt::format(" ({} … {})", number_text(trend.crossing_interval.low),
                      number_text(trend.crossing_interval.high));
  if (*trend.crossing < trend.at.front() || *trend.crossing > trend.at.back())
    text += ", outside the sizes measured";
  return text;
}

/// Whether the time that a throughput is made of has a line already.
bool follows_from_another(const Findings& all, const ScalingCurve& trend) {
  if (!metrics::is_kind(all.design.metrics[trend.metric], metrics::MetricKind::throughput)) return false;
  return std::ranges::any_of(all.scaling, [&](const ScalingCurve& other) {
    return all.design.metrics[other.metric].is_time() && other.candidate == trend.candidate &&
           other.workload == trend.workload && other.factor == trend.factor && other.others == trend.others;
  });
}

std::string thread_text(const Findings& all, const ScalingCurve& trend) {
  auto text = fmt::format("{} does {:.2g} times as much with {} as with {}",
                          all.design.candidates[trend.candidate].name, trend.throughput.back(),
                          number_text(trend.at.back()), number_text(trend.at.front()));
  if (trend.knee) text += fmt::format(", knee at about {}", number_text(*trend.knee));
  if (trend.plateau) text += fmt::format(", no better beyond {} by medians", number_text(*trend.plateau));
  return text;
}

struct TrendLine {
  std::string about, where, text;
};

/// Lines that say the same of several places are one.
std::vector<std::string> merged(const std::vector<TrendLine>& lines) {
  std::vector<TrendLine> kept;
  for (const auto& line : lines) {
    const auto same = std::ranges::find_if(
        kept, [&](const TrendLine& other) { return other.about == line.about && other.text == line.text; });
    if (same == kept.end())
      kept.push_back(line);
    else
      same->where += "; " + line.where;
  }
  std::vector<std::string> texts;
  for (const auto& line : kept)
    texts.push_back(line.about + (line.where.empty() ? "" : " (" + line.where + ")") + ": " + line.text);
  return texts;
}

/// Medians of a cell on one metric, from the findings that name it.
std::map<CellId, double> typicals(const Findings& all, metrics::MetricKind metric) {
  std::map<CellId, double> found;
  for (const auto& f : all.findings)
    if (metrics::is_kind(all.metric_of(f), metric)) {
      found[f.comparison.baseline] = f.baseline_typical;
      found[f.comparison.candidate] = f.candidate_typical;
    }
  return found;
}

}  // namespace

std::vector<std::string> twin_lines(const Findings& all) {
  std::map<std::pair<CandidateId, MetricId>, std::pair<const Finding*, const Finding*>> spans;
  for (const auto& f : all.findings) {
    const auto id = all.candidate_cell(f).candidate;
    if (!all.design.candidates[id].twin_of || !is_watched(all, f) || all.metric_of(f).exact) continue;
    auto& [low, high] = spans.try_emplace({id, f.metric}, &f, &f).first->second;
    if (f.effect.value < low->effect.value) low = &f;
    if (f.effect.value > high->effect.value) high = &f;
  }
  std::string text;
  for (const auto& [key, span] : spans) {
    const auto& metric = all.design.metrics[key.second];
    const auto &low = *span.first, &high = *span.second;
    text += fmt::format("{}{}, {} ", text.empty() ? "" : "; ", all.design.candidates[key.first].name,
                        metric.name);
    text += &low == &high ? fmt::format("{} ({}, {} rounds)", effect_text(low.effect, metric.unit),
                                        range_text(low.interval, metric.scale, metric.unit), low.rounds)
                          : fmt::format("{} (estimates from {} rounds or more)",
                                        effect_range(low.effect, high.effect, metric.unit),
                                        std::min(low.rounds, high.rounds));
  }
  if (text.empty()) return {};
  return {"A/A check (a baseline against itself): " + text};
}

std::vector<std::string> trend_lines(const Findings& all) {
  std::map<std::string, TrendLine> lines;  // by what they are about
  std::vector<std::string> order;
  const auto add = [&](const char* kind, const ScalingCurve& trend, const std::string& text) {
    std::string where = trend.others.text();
    if (all.design.workloads.size() > 1)
      where = all.design.workloads[trend.workload].name + (where.empty() ? "" : ", " + where);
    const auto about = kind + all.design.metrics[trend.metric].name;
    auto& line = lines[about + " over " + trend.factor + "\n" + where];
    if (line.text.empty()) order.push_back(about + " over " + trend.factor + "\n" + where);
    line.about = about + " over " + trend.factor;
    line.text += (line.text.empty() ? "" : "; ") + text;
    line.where = where;
  };
  for (const auto& trend : all.scaling) {
    if (trend.exponent) {
      if (reports_growth(trend)) add("growth of ", trend, size_text(all, trend));
      if (reports_crossing(trend)) add("crossing of ", trend, crossing_text(all, trend));
    } else if (!follows_from_another(all, trend)) {
      add("scaling of ", trend, thread_text(all, trend));
    }
  }
  std::vector<TrendLine> ordered;
  for (const auto& key : order) ordered.push_back(lines[key]);
  return merged(ordered);
}

std::vector<std::string> requirement_lines(const Findings& all) {
  using Status = RequirementFinding::Status;
  std::vector<std::string> lines;
  for (const auto metric : all.design.metrics.ids()) {
    const auto& what = all.design.metrics[metric];
    if (!what.request.require) continue;
    std::map<CandidateId, std::map<Status, std::vector<const RequirementFinding*>>> found;
    for (const auto& r : all.requirements)
      if (r.metric == metric) found[all.design.cells[r.cell].candidate][r.status].push_back(&r);
    for (const auto& [candidate, by_status] : found) {
      auto text = fmt::format("required, {} {}: {}", what.name, what.request.require->text,
                              all.design.candidates[candidate].name);
      for (const auto& [status, list] : by_status) {
        const auto& worst = **std::ranges::min_element(list, {}, [](const auto* r) { return r->headroom; });
        const auto where = cell_text(all, all.design.cells[worst.cell]);
        text += fmt::format(", {}{}{} ({}, {:.0f} % {})", to_string(status),
                            list.size() > 1 ? fmt::format(" in {}, the nearest", list.size()) : "",
                            (where.empty() ? "" : " at " + where) +
                                (worst.machine == 0 ? "" : fmt::format(" on machine {}", worst.machine)),
                            value_text(worst.typical, what.unit), std::abs(worst.headroom) * 100,
                            worst.headroom >= 0 ? "to spare" : "beyond");
      }
      lines.push_back(std::move(text));
    }
  }
  return lines;
}

namespace {

bool is_called_faster(const Findings& all, const Comparison& of) {
  return std::ranges::any_of(all.findings, [&](const Finding& f) {
    return f.comparison == of && f.verdict == Verdict::better &&
           metrics::is_kind(all.metric_of(f), metrics::MetricKind::time_per_call);
  });
}

}  // namespace

std::vector<std::string> first_call_lines(const Findings& all) {
  using metrics::MetricKind;
  const auto first = typicals(all, MetricKind::first_call), steady = typicals(all, MetricKind::time_per_call);
  std::vector<std::string> lines;
  for (const auto& f : all.findings) {
    if (!metrics::is_kind(all.metric_of(f), MetricKind::first_call) ||
        all.design.is_twin(f.comparison.candidate))
      continue;
    const auto *candidate = &f.comparison.candidate, *baseline = &f.comparison.baseline;
    if (!steady.contains(*candidate) || !steady.contains(*baseline)) continue;
    const double dearer = first.at(*candidate) - first.at(*baseline);
    const double gain = steady.at(*baseline) - steady.at(*candidate);
    constexpr double much = 10;  // times its own steady call; caches and branch prediction make up less
    if (first.at(*candidate) < much * steady.at(*candidate)) continue;
    const auto where = cell_text(all, all.candidate_cell(f));
    auto text = fmt::format("first call, {}{}: {} against {} of {}, then {} a call against {}",
                            all.candidate(all.candidate_cell(f)).name, where.empty() ? "" : " at " + where,
                            value_text(first.at(*candidate), "s"), value_text(first.at(*baseline), "s"),
                            all.candidate(all.baseline_cell(f)).name, value_text(steady.at(*candidate), "s"),
                            value_text(steady.at(*baseline), "s"));
    if (dearer > 0 && gain > 0 && f.verdict == Verdict::worse && is_called_faster(all, f.comparison))
      text +=
          fmt::format("; by these it pays from about {} calls on", number_text(std::ceil(1 + dearer / gain)));
    lines.push_back(std::move(text));
  }
  return lines;
}

std::vector<std::string> latency_lines(const Findings& all) {
  std::map<Comparison, std::string> lines;
  for (const auto& latency : all.latencies) {
    auto& line = lines[latency.comparison];
    const auto& cell = all.design.cells[latency.comparison.candidate];
    const auto where = cell_text(all, cell);
    line += line.empty()
                ? fmt::format("latency of all requests, {}{} against {}: ", where.empty() ? "" : where + ", ",
                              all.candidate(cell).name,
                              all.candidate(all.design.cells[latency.comparison.baseline]).name)
                : "; ";
    line += fmt::format("p{:g} {} ({}, {})", latency.quantile * 100, value_text(latency.candidate, "s"),
                        effect_text(latency.effect, {}), range_text(latency.interval, Scale::ratio, {}));
  }
  std::vector<std::string> all_lines;
  for (const auto& [of, line] : lines) all_lines.push_back(line);
  return all_lines;
}

std::vector<std::string> confirmation_lines(const Findings& all) {
  using Status = Confirmation::Status;
  std::vector<std::string> lines;
  for (const auto& c : all.confirmations) {
    const auto before = effect_text(c.effect_before, c.unit), now = effect_text(c.effect_now, c.unit);
    auto text =
        c.candidate +
        (all.design.workloads.size() > 1 || c.cell.find(',') != std::string::npos ? " on " + c.cell : "") +
        ", " + c.metric + ": ";
    switch (c.status) {
      case Status::confirmed:
        text += fmt::format("{} confirmed: {}, now {}", to_string(c.now), before, now);
        break;
      case Status::refuted:
        text += fmt::format("{} not confirmed: {}, now {}, which is {}", to_string(c.before), before, now,
                            to_string(c.now));
        break;
      case Status::decided:
        text += fmt::format("was unclear, and is {} now: {}", to_string(c.now), now);
        break;
      case Status::unclear:
        text += fmt::format(
            "{}; now unclear: {}",
            c.before == Verdict::unclear ? "was unclear" : "was called " + to_string(c.before), now);
        break;
    }
    lines.push_back(std::move(text));
  }
  return lines;
}

namespace {

/// Each candidate's levels, ascending, and whether the rate was sustained there.
using Levels = std::map<CandidateId, std::map<double, bool>>;

std::string limit_of(const std::map<double, bool>& levels) {
  std::string last;
  for (const auto& [level, sustained] : levels) {
    if (!sustained) return last.empty() ? "not even " + to_string(Level{level}) : "up to " + last;
    last = to_string(Level{level});
  }
  return "up to " + last + ", the highest";
}

}  // namespace

std::vector<std::string> sustained_lines(const Findings& all) {
  const auto& design = all.design;
  std::set<CellId> not_sustained;
  constexpr double now_and_then = 0.1;  // of the rounds
  for (const auto& note : all.notes)
    if (note.kind == NoteKind::rate_not_sustained &&
        static_cast<double>(note.count) > now_and_then * note.high)
      not_sustained.insert(std::get<CellId>(note.subject));
  std::vector<std::string> lines;
  for (const auto& factor : design.factors) {
    std::map<std::pair<WorkloadId, std::string>, std::pair<Setting, Levels>> places;
    for (const auto id : design.cells.ids()) {
      const auto& cell = design.cells[id];
      auto others = cell.setting;
      const auto level = others.levels.extract(factor.name);
      if (level.empty() || design.is_twin(id) || !all.statuses[id].is_ok()) continue;
      if (const auto at = number_of(level.mapped())) {
        auto& place = places[{cell.workload, others.text()}];
        place.first = others;
        place.second[cell.candidate][*at] = !not_sustained.contains(id);
      }
    }
    for (const auto& [key, place] : places) {
      const auto& levels = place.second;
      const auto all_hold = [](const auto& its) {
        return std::ranges::all_of(its.second, [](const auto& at) { return at.second; });
      };
      if (std::ranges::all_of(levels, all_hold)) continue;
      const auto where = place_label(design, {.workload = key.first, .setting = place.first});
      std::string text;
      for (const auto& [candidate, its] : levels)
        text += (text.empty() ? "" : "; ") + design.candidates[candidate].name + " " + limit_of(its);
      lines.push_back("sustained over " + factor.name + (where.empty() ? "" : " (" + where + ")") + ": " +
                      text);
    }
  }
  return lines;
}

}  // namespace assay::report
