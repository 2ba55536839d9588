#include "assay/report/outlook.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <vector>

#include "assay/report/cells.hpp"
#include "assay/report/names.hpp"
#include "assay/report/units.hpp"

namespace assay::report {
namespace {

std::string share(double part) {
  return part < 1 ? fmt::format("{:.2g} %", part * 100) : fmt::format("{:.0f} %", part * 100);
}

std::string rounds_text(double rounds) {
  return rounds < 1e5 ? fmt::format("{:.0f}", std::ceil(rounds)) : "more than 100000";
}

std::string plural(std::size_t n, const char* one) {
  return fmt::format("{} {}{}", n, one, n == 1 ? "" : "s");
}

std::string time_lines(const Forecast& o) {
  auto text = fmt::format("{}, {}", plural(o.cells, "cell"), plural(o.comparisons, "comparison"));
  if (o.round_seconds <= 0) return text + "\n";
  text += "; a round takes about " + value_text(o.round_seconds, "s");
  if (o.twins > 0) text += fmt::format(" ({} of it for the twins)", share(o.twin_seconds / o.round_seconds));
  const auto time = [&](int rounds) { return duration((rounds + 1) * o.round_seconds); };
  if (o.impossible_reason()) {
    const double more = (o.first_look + 1) * o.round_seconds - *o.budget;
    return text + fmt::format("\n{} are enough for {}, and a first verdict needs {} ({} more{})\n",
                              duration(*o.budget), plural(static_cast<std::size_t>(o.rounds), "round"),
                              o.first_look, duration(std::max(more, 0.0)),
                              o.continues ? ", which it takes; --budget would hold it to the time" : "");
  }
  if (o.budget && (o.rounds < o.rounds_max || o.rounds_max == 0))
    return text + fmt::format(": {} are enough for {} rounds\n", duration(*o.budget), o.rounds);
  const int fewest = o.first_look > 0 ? o.first_look : o.rounds_min;
  return text + (fewest < o.rounds ? fmt::format(": {} to {} rounds take {} to {}\n", fewest, o.rounds,
                                                 time(fewest), time(o.rounds))
                                   : fmt::format(": {} rounds take {}\n", o.rounds, time(o.rounds)));
}

/// The comparisons on one metric.
std::vector<const ComparisonForecast*> on_metric(const Forecast& o, MetricId metric) {
  std::vector<const ComparisonForecast*> all;
  for (const auto& p : o.forecasts)
    if (p.metric == metric) all.push_back(&p);
  return all;
}

/// "12 rounds tell changes from about 0.4 % on"; of several comparisons, "from about 0.4 to 3 % on (3 %: heap
/// on orders)".
std::string change_text(const Forecast& o, const Design& design,
                        const std::vector<const ComparisonForecast*>& all) {
  const auto reach = [](const ComparisonForecast* p) { return p->change ? p->change->typical : 1e9; };
  const auto [least, most] = std::ranges::minmax(all, {}, reach);
  const auto rounds = plural(static_cast<std::size_t>(o.rounds), "round");
  if (!least->change) return rounds + " are too few to tell any change";
  auto from = share(least->change->typical);
  if (!most->change) return rounds + " tell changes from about " + from + " on, not everywhere";
  const auto to = share(most->change->typical);
  if (from == to) return rounds + " tell changes from about " + to + " on";
  from.resize(from.size() - std::string(" %").size());
  return fmt::format("{} tell changes from about {} to {} on ({}: {})", rounds, from, to, to,
                     cell_label(design, most->comparison.candidate));
}

/// "; within 5 % they are likely to": the round margin at which all comparisons have a good chance.
std::string margin_text(const std::vector<const ComparisonForecast*>& all) {
  double widest = 0;
  for (const auto* p : all) {
    if (!p->margin_to_call_same) return {};
    widest = std::max(widest, p->margin_to_call_same->typical);
  }
  for (const double margin : {0.002, 0.003, 0.005, 0.01, 0.02, 0.03, 0.05, 0.1, 0.15, 0.2, 0.25})
    if (margin >= widest && margin > all.front()->margin)
      return fmt::format("; these rounds are likely to say it within --margin {:.3g}%", margin * 100);
  return {};
}

/// `"same" within 1 % takes about 300 rounds (40 min)`: what most comparisons need; empty where none is
/// known.
std::string same_text(const Forecast& o, const std::vector<const ComparisonForecast*>& all) {
  double most = 0;
  for (const auto* p : all)
    if (p->rounds_to_same) most = std::max(most, p->rounds_to_same->typical);
  if (most == 0) return {};
  const double seconds = (most + 1) * o.round_seconds;
  auto text = fmt::format("; \"same\" within {} takes about {} rounds", share(all.front()->margin),
                          rounds_text(most));
  if (most > o.rounds)
    text += fmt::format("{}{}", seconds > 0 && most < 1e5 ? " (" + duration(seconds) + ")" : "",
                        margin_text(all));
  return text;
}

}  // namespace

std::string forecast_lines(const Forecast& o, const Design& design) {
  if (o.forecasts.empty()) return time_lines(o);
  constexpr int most_metrics = 2;
  std::string text;
  int written = 0;
  for (const auto metric : design.metrics.ids()) {
    const auto all = on_metric(o, metric);
    if (all.empty() || written++ >= most_metrics) continue;
    text += design.metrics[metric].name + ": " + change_text(o, design, all) + same_text(o, all) + "\n";
  }
  return text;
}

std::string to_text(const Forecast& o, const Design& design) {
  std::string text = time_lines(o);
  for (const auto metric : design.metrics.ids()) {
    const auto all = on_metric(o, metric);
    if (all.empty()) continue;
    std::size_t widest = 10;
    for (const auto* p : all)
      widest = std::max(widest, display_width(cell_label(design, p->comparison.candidate)));
    widest = std::min<std::size_t>(widest, 40);
    text += fmt::format("\n{}, margin {}\n{}{}{}\n", design.metrics[metric].name, share(all.front()->margin),
                        pad_right("", widest + 2),
                        pad_right(fmt::format("{} rounds tell changes from", o.rounds), 32),
                        "rounds for \"same\", if nothing changed");
    for (const auto* p : all) {
      const auto change = !p->change ? "nothing"
                          : p->change->typical == 0
                              ? "any change: it did not vary"
                              : fmt::format("{} ({} … {})", share(p->change->typical), share(p->change->low),
                                            share(p->change->high));
      const auto same =
          p->rounds_to_same
              ? fmt::format("{} ({} … {})", rounds_text(p->rounds_to_same->typical),
                            rounds_text(p->rounds_to_same->low), rounds_text(p->rounds_to_same->high))
              : "the fewest";
      text += pad_right(cell_label(design, p->comparison.candidate), widest + 2) + pad_right(change, 32) +
              same + "\n";
    }
    text += change_text(o, design, all) + same_text(o, all) + "\n";
  }
  return text;
}

}  // namespace assay::report
