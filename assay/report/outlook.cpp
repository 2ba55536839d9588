#include "assay/report/outlook.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <vector>

#include "assay/report/cells.hpp"
#include "assay/report/names.hpp"
#include "assay/report/units.hpp"

namespace assay::inline v1::report {
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

std::string time_lines(const Outlook& o) {
  auto text = plural(o.cells, "cell");
  if (o.twins > 0) text += fmt::format(", {} of them twins'", o.twins);
  text += fmt::format("; {} with a baseline\n", plural(o.comparisons, "comparison"));
  if (o.round_seconds <= 0) return text;
  text += "a round takes about " + value_text(o.round_seconds, "s");
  if (o.twins > 0) text += fmt::format(", {} of it for the twins", share(o.twin_seconds / o.round_seconds));
  const auto time = [&](int rounds) { return span_text((rounds + 1) * o.round_seconds); };
  if (o.cannot_decide()) {
    const double more = (o.first_look + 1) * o.round_seconds - *o.budget;
    return text + fmt::format("; {} are enough for {}, and a first verdict needs {} ({} more{})\n",
                              span_text(*o.budget), plural(static_cast<std::size_t>(o.rounds), "round"),
                              o.first_look, span_text(std::max(more, 0.0)),
                              o.goes_on ? ", which it takes; --budget would hold it to the time" : "");
  }
  if (o.rounds < o.rounds_max)
    return text +
           fmt::format("; the budget of {} ends it after about {} rounds\n", span_text(*o.budget), o.rounds);
  const int fewest = o.first_look > 0 ? o.first_look : o.rounds_min;
  return text + (fewest < o.rounds_max ? fmt::format("; {} to {} rounds, warm-up included, take {} to {}\n",
                                                     fewest, o.rounds_max, time(fewest), time(o.rounds_max))
                                       : fmt::format("; {} rounds, warm-up included, take {}\n", o.rounds_max,
                                                     time(o.rounds_max)));
}

/// The findings on one metric whose own margin is out of reach.
std::string margin_warning(const Outlook& o, const std::vector<const Prospect*>& on_metric) {
  std::size_t out_of_reach = 0;
  double most = 0;
  for (const auto* p : on_metric)
    if (p->rounds_to_same && p->rounds_to_same->typical > o.rounds) {
      ++out_of_reach;
      most = std::max(most, p->rounds_to_same->typical);
    }
  if (out_of_reach == 0) return {};
  return fmt::format(
      "  the margin of {} can't be settled so for {} of {}: about {} rounds would be needed for \"same\"; a "
      "wider "
      "margin, or --rounds and --budget, would help\n",
      share(on_metric.front()->margin), out_of_reach, plural(on_metric.size(), "comparison"),
      rounds_text(most));
}

}  // namespace

std::string outlook_lines(const Outlook& o, const Design& design) {
  auto text = o.prospects.empty() ? time_lines(o) : std::string{};
  for (const auto metric : design.metrics.ids()) {
    std::vector<const Prospect*> on_metric;
    for (const auto& p : o.prospects)
      if (p.metric == metric) on_metric.push_back(&p);
    if (on_metric.empty()) continue;
    const auto reach = [](const Prospect* p) { return p->change ? p->change->typical : 1e9; };
    const auto [least, most] = std::ranges::minmax(on_metric, {}, reach);
    const auto named = [&](const Prospect* p) { return cell_name(design, p->of.candidate); };
    if (!least->change)
      text += fmt::format("{}: nothing can be settled in {}, more are needed\n", design.metrics[metric].name,
                          plural(static_cast<std::size_t>(o.rounds), "round"));
    else if (on_metric.size() == 1 || !most->change)
      text += fmt::format("{}: changes from {} on can be settled in {} rounds ({})\n",
                          design.metrics[metric].name, share(least->change->typical), o.rounds, named(least));
    else
      text += fmt::format("{}: changes from {} ({}) to {} ({}) on can be settled in {} rounds\n",
                          design.metrics[metric].name, share(least->change->typical), named(least),
                          share(most->change->typical), named(most), o.rounds);
    text += margin_warning(o, on_metric);
  }
  return text;
}

std::string to_text(const Outlook& o, const Design& design) {
  std::string text = time_lines(o);
  for (const auto metric : design.metrics.ids()) {
    std::vector<const Prospect*> on_metric;
    std::size_t widest = 10;
    for (const auto& p : o.prospects)
      if (p.metric == metric) {
        on_metric.push_back(&p);
        widest = std::max(widest, cells_of(cell_name(design, p.of.candidate)));
      }
    if (on_metric.empty()) continue;
    widest = std::min<std::size_t>(widest, 40);
    text += fmt::format("\n{}, margin {}\n{}{}{}\n", design.metrics[metric].name,
                        share(on_metric.front()->margin), left("", widest + 2),
                        left(fmt::format("settled in {} rounds from", o.rounds), 32),
                        "rounds for \"same\", if nothing changed");
    for (const auto* p : on_metric) {
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
      text += left(cell_name(design, p->of.candidate), widest + 2) + left(change, 32) + same + "\n";
    }
    text += margin_warning(o, on_metric);
  }
  return text;
}

}  // namespace assay::inline v1::report
