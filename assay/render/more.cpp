#include "assay/render/more.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>

#include "assay/render/prose.hpp"
#include "assay/render/units.hpp"

namespace assay::render {
namespace {

std::string span_of(double low, double high, bool ratio, const std::string& unit) {
  const auto from = effect_text(low, ratio, unit), to = effect_text(high, ratio, unit);
  return from == to ? from : from + " to " + to;
}

std::string size_text(const Findings& all, const Trend& trend) {
  auto text = fmt::format("{} {}", all.candidates[trend.candidate.place()].name,
                          trend.law.empty() ? "by no law that can be told" : "like " + trend.law);
  const auto plain = [](double x) { return fmt::format("{}{:.2f}", x < 0 ? "−" : "", std::abs(x)); };
  text += " (exponent " + plain(trend.exponent.value_or(0));
  const auto& interval = trend.exponent_interval;
  if (std::isfinite(interval.low) && std::isfinite(interval.high))
    text += fmt::format(", {} … {}", plain(interval.low), plain(interval.high));
  return text + ")";
}

std::string crossing_text(const Findings& all, const Trend& trend) {
  const auto& candidate = all.candidates[trend.candidate.place()];
  auto text = fmt::format("{} costs what {} does at about {} {}", candidate.name,
                          all.candidates[candidate.against->place()].name, number_text(*trend.crossing),
                          trend.factor);
  const auto& interval = trend.crossing_interval;
  if (std::isfinite(interval.high) && interval.low > 0)
    text += fmt::format(" ({} … {})", number_text(interval.low), number_text(interval.high));
  if (*trend.crossing < trend.at.front() || *trend.crossing > trend.at.back())
    text += ", outside the sizes measured";
  return text;
}

std::string thread_text(const Findings& all, const Trend& trend) {
  auto text = fmt::format("{} does {:.2g} times as much with {} as with {}",
                          all.candidates[trend.candidate.place()].name, trend.throughput.back(),
                          number_text(trend.at.back()), number_text(trend.at.front()));
  if (trend.knee) text += fmt::format(", knee at {}", number_text(*trend.knee));
  if (trend.plateau) text += fmt::format(", no better beyond {}", number_text(*trend.plateau));
  return text;
}

/// Medians of a cell on one metric, from the findings that name it.
std::map<CellId, double> typicals(const Findings& all, const std::string& metric) {
  std::map<CellId, double> found;
  for (const auto& f : all.findings)
    if (all.metric_of(f).name == metric) {
      found[f.of.baseline] = f.baseline_typical;
      found[f.of.candidate] = f.candidate_typical;
    }
  return found;
}

}  // namespace

std::string bad_twin_text(const Findings& all) {
  for (const auto& f : all.findings) {
    const auto& cell = all.candidate_of(f);
    if (!all.candidate(cell).twin_of || !is_watched(all, f) ||
        (f.verdict != Verdict::better && f.verdict != Verdict::worse))
      continue;
    const auto& metric = all.metric_of(f);
    const auto where = cell_text(all, cell);
    return fmt::format("a mere copy of {}{} was called {} ({} {}); distrust changes of that size here",
                       all.candidate(all.baseline_of(f)).name, where.empty() ? "" : " on " + where,
                       to_string(f.verdict), metric.name,
                       effect_text(f.effect, metric.scale == Scale::ratio, metric.unit));
  }
  return {};
}

std::string twin_lines(const Findings& all) {
  std::map<std::pair<CandidateId, MetricId>, std::pair<double, double>> spans;
  for (const auto& f : all.findings) {
    const auto id = all.candidate_of(f).candidate;
    if (!all.candidates[id.place()].twin_of || !is_watched(all, f) || all.metric_of(f).exact) continue;
    const auto [span, fresh] = spans.try_emplace({id, f.metric}, f.effect, f.effect);
    span->second = {std::min(span->second.first, f.effect), std::max(span->second.second, f.effect)};
  }
  std::string text;
  for (const auto& [key, span] : spans) {
    const auto& metric = all.metrics[key.second.place()];
    text +=
        fmt::format("{}{}, {} {}", text.empty() ? "" : "; ", all.candidates[key.first.place()].name,
                    metric.name, span_of(span.first, span.second, metric.scale == Scale::ratio, metric.unit));
  }
  return text.empty() ? text : "no change at all looked like this: " + text + "\n";
}

std::string trend_lines(const Findings& all) {
  std::map<std::string, std::string> lines;  // by what they are about, in the order met
  std::vector<std::string> order;
  const auto add = [&](const std::string& head, const std::string& text) {
    auto& line = lines[head];
    if (line.empty()) order.push_back(head);
    line += (line.empty() ? "" : "; ") + text;
  };
  for (const auto& trend : all.trends) {
    std::string where = trend.others.text();
    if (all.workloads.size() > 1)
      where = all.workloads[trend.workload.place()].name + (where.empty() ? "" : ", " + where);
    const auto about = all.metrics[trend.metric.place()].name + (where.empty() ? "" : " (" + where + ")");
    if (trend.exponent) {
      add("growth of " + about + " over " + trend.factor, size_text(all, trend));
      if (trend.crossing) add("crossing of " + about + " over " + trend.factor, crossing_text(all, trend));
    } else {
      add("scaling of " + about + " over " + trend.factor, thread_text(all, trend));
    }
  }
  std::string text;
  for (const auto& head : order) text += head + ": " + lines[head] + "\n";
  return text;
}

std::string requirement_lines(const Findings& all) {
  using Status = RequirementFinding::Status;
  std::string text;
  for (std::size_t m = 0; m < all.metrics.size(); ++m) {
    if (!all.demands[m].require) continue;
    const auto& unit = all.metrics[m].unit;
    std::map<CandidateId, std::map<Status, std::vector<const RequirementFinding*>>> found;
    for (const auto& r : all.requirements)
      if (r.metric.place() == m) found[all.cells[r.cell.place()].candidate][r.status].push_back(&r);
    for (const auto& [candidate, by_status] : found) {
      text += fmt::format("required, {} {}: {}", all.metrics[m].name, all.demands[m].require->text,
                          all.candidates[candidate.place()].name);
      for (const auto& [status, list] : by_status) {
        const auto& worst = **std::ranges::min_element(list, {}, [](const auto* r) { return r->spare; });
        const auto where = cell_text(all, all.cells[worst.cell.place()]);
        text += fmt::format(", {}{}{} ({}, {:.0f} % {})", to_string(status),
                            list.size() > 1 ? fmt::format(" in {}, the nearest", list.size()) : "",
                            where.empty() ? "" : " at " + where, value_text(worst.typical, unit),
                            std::abs(worst.spare) * 100, worst.spare >= 0 ? "to spare" : "beyond");
      }
      text += "\n";
    }
  }
  return text;
}

std::string first_call_lines(const Findings& all) {
  const auto first = typicals(all, "first call"), steady = typicals(all, "time per call");
  std::string text;
  for (const auto& f : all.findings) {
    if (all.metric_of(f).name != "first call" ||
        all.candidates[all.candidate_of(f).candidate.place()].twin_of)
      continue;
    const auto *candidate = &f.of.candidate, *baseline = &f.of.baseline;
    if (!steady.contains(*candidate) || !steady.contains(*baseline)) continue;
    const double dearer = first.at(*candidate) - first.at(*baseline);
    const double gain = steady.at(*baseline) - steady.at(*candidate);
    constexpr double much = 10;  // times its own steady call; caches and branch prediction make up less
    if (first.at(*candidate) < much * steady.at(*candidate)) continue;
    const auto where = cell_text(all, all.candidate_of(f));
    text += fmt::format("first call, {}{}: {} against {} of {}, then {} a call against {}",
                        all.candidate(all.candidate_of(f)).name, where.empty() ? "" : " at " + where,
                        value_text(first.at(*candidate), "s"), value_text(first.at(*baseline), "s"),
                        all.candidate(all.baseline_of(f)).name, value_text(steady.at(*candidate), "s"),
                        value_text(steady.at(*baseline), "s"));
    if (dearer > 0 && gain > 0)
      text += fmt::format("; it pays from {} calls on", number_text(std::ceil(1 + dearer / gain)));
    text += "\n";
  }
  return text;
}

std::string confirmation_lines(const Findings& all) {
  using Status = Confirmation::Status;
  std::string text;
  for (const auto& c : all.confirmations) {
    const auto before = effect_text(c.effect_before, c.ratio, c.unit),
               now = effect_text(c.effect_now, c.ratio, c.unit);
    text += c.candidate +
            (all.workloads.size() > 1 || c.cell.find(',') != std::string::npos ? " on " + c.cell : "") +
            ", " + c.metric + ": ";
    if (c.status == Status::confirmed)
      text += fmt::format("{} confirmed: {}, now {}", to_string(c.now), before, now);
    if (c.status == Status::refuted)
      text += fmt::format("{} not confirmed: {}, now {}, which is {}", to_string(c.before), before, now,
                          to_string(c.now));
    if (c.status == Status::settled)
      text += fmt::format("was unclear, and is {} now: {}", to_string(c.now), now);
    if (c.status == Status::unclear)
      text += fmt::format("{}; now unclear: {}",
                          c.before == Verdict::unclear ? "was unclear" : "was called " + to_string(c.before),
                          now);
    text += "\n";
  }
  return text;
}

}  // namespace assay::render
