#include "assay/report/price.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "assay/judge/pairs.hpp"
#include "assay/model/plan.hpp"
#include "assay/model/setting.hpp"
#include "assay/report/units.hpp"

namespace assay::inline v1::report {
namespace {

/// To two digits, upwards: what is estimated roughly should look so.
int rounded_up(double value) {
  double step = 1;
  while (value > 100 * step) step *= 10;
  return static_cast<int>(std::ceil(value / step) * step);
}

/// The command that measures a campaign again with so many rounds. Of a contest they share a fixed budget,
/// which has to grow with them; options stand at its end, and before the words of a comparison.
std::string command_with(const Design& design, int rounds, double seconds) {
  const auto& repeat = design.repeat;
  if (repeat.empty()) return {};
  auto options = fmt::format(" --rounds {}..{}", std::min(7, rounds), rounds);
  if (design.kind == "contest") {
    const double share = static_cast<double>(design.rules.budget_ms.value_or(2000)) / 1000 /
                         std::max(design.rules.rounds_max, 1);
    return repeat + options + fmt::format(" --budget {}s", rounded_up(std::ceil(share * rounds)));
  }
  if (seconds > 0) options += fmt::format(" --budget {}s", rounded_up(std::ceil(1.5 * seconds)));
  const auto verb_end = std::min(repeat.size(), repeat.find(' ', repeat.find(' ') + 1));
  return repeat.substr(0, verb_end) + options + repeat.substr(verb_end);
}

}  // namespace

std::string settle_text(const Findings& all, const Finding& f) {
  if (!f.to_settle) return {};
  switch (f.to_settle->obstacle) {
    case Price::Obstacle::too_few_rounds: {
      const auto& rules = all.design.rules;
      const int needed =
          rules.rounds_max > 0 ? judge::looks_of(rules, f.repeats).counts().front() : fewest_rounds;
      if (static_cast<int>(f.rounds) >= needed) return "too few rounds to tell how many are needed";
      return fmt::format("no verdict yet: at least {} rounds are needed", needed);
    }
    case Price::Obstacle::fast_and_slow:
      return "its fast runs changed one way and its slow runs the other: no single verdict says both";
    case Price::Obstacle::near_margin:
      return "not within any sensible number of rounds: the effect is near the margin";
    case Price::Obstacle::one_upper_end:
      return "most values of both lie at one upper end, where something may limit them and they can't differ";
    case Price::Obstacle::ceiling: {
      const auto& metric = all.metric_of(f);
      return "both are at the limit of " + to_string(Level{metric.demand.ceiling.value_or(0)}) + " " +
             metric.unit + ", where they can't differ";
    }
    case Price::Obstacle::none:
      break;
  }
  const auto rounds = rounded_up(f.to_settle->rounds);
  auto text = fmt::format("even odds to settle it by {} rounds", rounds);
  if (f.to_settle->seconds > 0) text += " (" + span_text(f.to_settle->seconds) + ")";
  const auto command = command_with(all.design, rounds, f.to_settle->seconds);
  return command.empty() ? text : text + ": " + command;
}

}  // namespace assay::inline v1::report
