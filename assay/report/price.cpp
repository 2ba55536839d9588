#include "assay/report/price.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <optional>

#include "assay/judge/estimate.hpp"
#include "assay/judge/pairs.hpp"
#include "assay/metrics/catalogue.hpp"
#include "assay/model/plan.hpp"
#include "assay/model/setting.hpp"
#include "assay/report/units.hpp"

namespace assay::report {
namespace {

/// To two digits, upwards: what is estimated roughly should look so.
int rounded_up(double value) {
  double step = 1;
  while (value > 100 * step) step *= 10;
  return static_cast<int>(std::ceil(value / step) * step);
}

/// The command that measures a campaign again with so many rounds. Of a contest they share a fixed budget,
/// which has to grow with them; options stand at its end, and before the words of a comparison.
std::string command_with_rounds(const Design& design, int rounds, double seconds) {
  auto repeat = design.repeat_command;
  if (repeat.empty()) return {};
  const std::string relink = " --relink";
  if (const auto at = repeat.find(relink);
      at != std::string::npos && design.rules.layouts > 0 && rounds > design.rules.layouts)
    repeat.replace(at, repeat.find(' ', at + 1) - at, relink + "=" + std::to_string(rounds));
  auto options = fmt::format(" --rounds {}..{}", std::min(8, rounds), rounds);
  if (design.kind == "contest") {
    const double share = static_cast<double>(design.rules.budget_ms.value_or(2000)) / 1000 /
                         std::max(design.rules.rounds_max, 1);
    return repeat + options + fmt::format(" --budget {}s", rounded_up(std::ceil(share * rounds)));
  }
  if (seconds > 0) options += fmt::format(" --budget {}s", rounded_up(std::ceil(1.5 * seconds)));
  const auto verb_end = std::min(repeat.size(), repeat.find(' ', repeat.find(' ') + 1));
  return repeat.substr(0, verb_end) + options + repeat.substr(verb_end);
}

struct WiderMargin {
  double share = 0;
  std::size_t held = 0;  ///< changes whose interval lies within it
};

/// A round margin of at most three times the findings' own and 25 %, within which half of these changes or
/// more lie; empty where none is wide enough.
std::optional<WiderMargin> wider_margin(const std::vector<const Finding*>& open) {
  constexpr double most = 0.25;
  const auto needed = [](const Finding* f) {
    return f->effect.is_ratio() && f->interval.low > 0 ? std::max(f->interval.high, 1 / f->interval.low) - 1
                                                       : 1e9;
  };
  const double own = open.front()->margin;
  for (const double share : {0.001, 0.002, 0.003, 0.005, 0.01, 0.02, 0.03, 0.05, 0.1, 0.15, 0.2, 0.25}) {
    if (share <= own || share > std::min(3 * own, most)) continue;
    const auto held = static_cast<std::size_t>(
        std::ranges::count_if(open, [&](const Finding* f) { return needed(f) < share; }));
    if (2 * held >= open.size()) return WiderMargin{share, held};
  }
  return {};
}

}  // namespace

std::string rounds_needed_text(const Findings& all, const Finding& f) {
  if (!f.rounds_to_decide) return {};
  switch (f.rounds_to_decide->obstacle) {
    case RoundsToDecide::Obstacle::too_few_rounds: {
      const auto& rules = all.design.rules;
      const int needed =
          rules.rounds_max > 0 ? judge::first_deciding_look(all.design, f.replication) : fewest_rounds;
      if (static_cast<int>(f.rounds) >= needed) return "too few rounds to tell how many are needed";
      return fmt::format("no verdict yet: at least {} rounds are needed", needed);
    }
    case RoundsToDecide::Obstacle::fast_and_slow:
      return "most of its runs changed one way, and slow ones or the mean the other: no one verdict holds "
             "for all";
    case RoundsToDecide::Obstacle::slow_runs:
      return judge::rest_is_unlike(f)
                 ? "most of its runs are alike, but not all: no one verdict holds"
                 : "most of its runs are alike; that slow ones are not more, or fewer, by a tenth "
                   "of all runs takes more rounds to show";
    case RoundsToDecide::Obstacle::near_margin:
      return "more rounds would hardly settle it: the change lies near the margin";
    case RoundsToDecide::Obstacle::saturation_suspected:
      return "most values of both lie at one upper end: something may limit them, and hide a difference";
    case RoundsToDecide::Obstacle::saturation: {
      const auto& metric = all.metric_of(f);
      return "both are at the declared ceiling of " +
             value_text(metric.request.ceiling.value_or(0), metric.unit) + ", which hides any difference";
    }
    case RoundsToDecide::Obstacle::none:
      break;
  }
  const auto rounds = rounded_up(f.rounds_to_decide->rounds);
  auto text = fmt::format("even odds to settle it by {} rounds", rounds);
  if (f.replication.layouts > 0 && rounds > f.replication.layouts)
    text += all.design.repeat_command.find(" --relink") != std::string::npos
                ? " of as many layouts"
                : fmt::format(" of as many layouts (relink = {} in [build])", rounds);
  if (f.rounds_to_decide->seconds > 0) text += " (" + duration(f.rounds_to_decide->seconds) + ")";
  const auto command = command_with_rounds(all.design, rounds, f.rounds_to_decide->seconds);
  return command.empty() ? text : text + ": " + command;
}

std::string advice_text(const Findings& all, const std::vector<const Finding*>& findings) {
  if (all.design.kind == "contest" || all.design.repeat_command.empty()) return {};
  std::vector<const Finding*> open;
  for (const auto* f : findings)
    if (f->verdict == Verdict::unclear && f->rounds_to_decide) open.push_back(f);
  const auto is_held_up = [](const Finding* f) {
    using enum RoundsToDecide::Obstacle;
    return f->rounds_to_decide->obstacle == none || f->rounds_to_decide->obstacle == near_margin;
  };
  std::erase_if(open, [&](const Finding* f) { return !is_held_up(f); });
  if (open.empty()) return {};
  std::vector<std::string> ways;
  if (std::ranges::all_of(open, [](const Finding* f) { return f->rounds_to_decide->suits_abreast; }))
    ways.emplace_back("--abreast, which runs them at once on one core and compares CPU time");
  if (const auto margin = wider_margin(open))
    ways.push_back(fmt::format("--margin {:.3g}%, within which {} lie{}", margin->share * 100,
                               open.size() == 1
                                   ? "this change"
                                   : fmt::format("{} of {} of these changes", margin->held, open.size()),
                               open.size() == 1 ? "s" : ""));
  constexpr double short_time = 0.02;
  const auto& first = *open.front();
  const auto& metric = all.metric_of(first);
  const bool of_a_run = metrics::is_kind(metric, metrics::MetricKind::wall_time) ||
                        metrics::is_kind(metric, metrics::MetricKind::cpu_time);
  if (of_a_run && first.baseline_typical < short_time)
    ways.push_back("longer runs, now " + value_text(first.baseline_typical, "s"));
  std::string text;
  for (const auto& way : ways) text += (text.empty() ? "unclear ones settle sooner with: " : "; ") + way;
  return text;
}

}  // namespace assay::report
