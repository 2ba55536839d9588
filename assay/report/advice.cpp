#include "assay/report/advice.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <optional>
#include <vector>

#include "assay/judge/paired_series.hpp"
#include "assay/judge/paired_test.hpp"
#include "assay/metrics/catalogue.hpp"
#include "assay/model/enum_names.hpp"
#include "assay/model/plan.hpp"
#include "assay/model/setting.hpp"
#include "assay/report/format.hpp"

namespace assay::report {

namespace {

/// To two digits, upwards: what is estimated roughly should look so.
int rounded_up(double value) {
  double step = 1;
  while (value > 100 * step) step *= 10;
  return static_cast<int>(std::ceil(value / step) * step);
}

/// A command with options after its verb: those of a comparison precede the words that are compared.
std::string with_options(const std::string& command, const std::string& options) {
  const auto verb_end = std::min(command.size(), command.find(' ', command.find(' ') + 1));
  return command.substr(0, verb_end) + options + command.substr(verb_end);
}

/// The option of a duel that makes so many layouts; empty where it makes none, or a plan says how many.
std::string layouts_option(const Design& design, int rounds) {
  if (design.kind != CampaignKind::duel || design.rules.layouts == 0) return {};
  return fmt::format(" --relink={}", std::max(design.rules.layouts, rounds));
}

/// The command that measures a campaign again with so many rounds. Of a contest they share a fixed budget,
/// which has to grow with them; its options stand at the end.
std::string command_with_rounds(const Design& design, int rounds, double seconds) {
  const auto& repeat = design.repeat_command;
  if (repeat.empty()) return {};
  auto options = fmt::format(" --rounds {}..{}", std::min(8, rounds), rounds);
  if (design.kind == CampaignKind::contest) {
    const double share = static_cast<double>(design.rules.budget_ms.value_or(2000)) / 1000 /
                         std::max(design.rules.rounds_max, 1);
    return repeat + options + fmt::format(" --budget {}s", rounded_up(std::ceil(share * rounds)));
  }
  if (seconds > 0) options += fmt::format(" --budget {}s", rounded_up(std::ceil(1.5 * seconds)));
  return with_options(repeat, options + layouts_option(design, rounds));
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

std::string surprise_text(const judge::Surprise& surprise) {
  switch (surprise.reason) {
    case judge::Surprise::Reason::within_aa_noise:
      return "it is no larger than the difference of a baseline from itself here";
    case judge::Surprise::Reason::against_others:
      return fmt::format("{} of the candidate's {} other changes point the other way", surprise.opposite,
                         surprise.others);
    case judge::Surprise::Reason::against_earlier:
      return "an earlier campaign called it " + to_string(surprise.before);
  }
  return {};
}

std::string repeat_command(const Design& design) {
  if (design.repeat_command.empty()) return {};
  return with_options(design.repeat_command, layouts_option(design, 0));
}

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
    case RoundsToDecide::Obstacle::machines_disagree:
      return "no one verdict holds for all machines: measure on those of one kind, or find out what differs";
    case RoundsToDecide::Obstacle::near_margin:
      return "more rounds would hardly decide it: the change lies near the margin";
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
  auto text = fmt::format("even odds to decide it by {} rounds", rounds);
  if (f.replication.layouts > 0 && rounds > f.replication.layouts)
    text += all.design.kind == CampaignKind::duel
                ? " of as many layouts"
                : fmt::format(" of as many layouts (relink = {} in [build])", rounds);
  const auto machines = static_cast<double>(f.machines.size());
  if (f.rounds_to_decide->seconds > 0)
    text += " (" + duration(f.rounds_to_decide->seconds) +
            (machines > 1 ? fmt::format(", on {} machines about {}", machines,
                                        duration(f.rounds_to_decide->seconds / machines))
                          : "") +
            ")";
  const auto command = command_with_rounds(all.design, rounds, f.rounds_to_decide->seconds);
  return command.empty() ? text : text + ": " + command;
}

std::string advice_text(const Findings& all, const std::vector<const Finding*>& findings) {
  if (all.design.kind == CampaignKind::contest || all.design.repeat_command.empty()) return {};
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
  for (const auto& way : ways) text += (text.empty() ? "unclear ones are decided sooner with: " : "; ") + way;
  return text;
}

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
    const auto needed = duration((o.first_look + 1) * o.round_seconds);
    return text + fmt::format("\n{} are enough for {}, and a first verdict needs {}: {}\n",
                              duration(*o.budget), plural(static_cast<std::size_t>(o.rounds), "round"),
                              o.first_look, o.continues ? "measuring " + needed : "it takes " + needed);
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
