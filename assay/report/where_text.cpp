#include "assay/report/where_text.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "assay/judge/where.hpp"
#include "assay/metrics/catalogue.hpp"
#include "assay/report/format.hpp"

namespace assay::report {

namespace {

/// A unit for all times of a block, and the digits after the point.
struct Figures {
  const char* unit;
  double factor;
  int digits;

  explicit Figures(double seconds) : unit("s"), factor(1), digits(3) {
    constexpr double milli = 1e-3, thousand = 1e3, million = 1e6;
    if (seconds < milli) {
      unit = "µs";
      factor = million;
    } else if (seconds < 1) {
      unit = "ms";
      factor = thousand;
    }
    for (double size = seconds * factor; size >= 10 && digits > 1; size /= 10) --digits;
  }
  /// In units of the last digit that is printed.
  double rounded(double seconds) const { return std::round(seconds * factor * std::pow(10.0, digits)); }
  std::string number(double rounded) const {
    return fmt::format("{:.{}f}", rounded / std::pow(10.0, digits), digits);
  }
  std::string value(double rounded) const { return number(rounded) + " " + unit; }
  std::string signed_number(double rounded) const {
    return rounded == 0 ? "0" : (rounded < 0 ? "−" : "+") + number(std::abs(rounded));
  }
  std::string change(double rounded) const { return signed_number(rounded) + " " + unit; }
  std::string interval(const TimePart& part) const {
    if (std::isinf(part.low) || std::isinf(part.high)) return "not known yet";
    return signed_number(rounded(part.low)) + " … " + change(rounded(part.high));
  }
};

struct Line {
  std::string name;
  double baseline = 0, candidate = 0, change = 0;  ///< rounded, in units of the last digit
  std::string interval, of_all, word;
};

std::string word_of(const TimePart& part) {
  if (!part.named) return {};
  return part.change > 0 ? "! more" : "+ less";
}

std::string word_of_rest(const Where& where, double margin) {
  const double within = margin * where.whole.baseline;
  const bool alike = where.rest.low > -within && where.rest.high < within;
  return alike ? "= same" : where.rest.named ? "? spread over several" : "? too little to say";
}

std::vector<std::string> table(const std::vector<Line>& lines, const Figures& scale,
                               const std::vector<std::string>& heads) {
  std::vector<std::vector<std::string>> cells = {heads};
  for (const auto& line : lines)
    cells.push_back({line.name, scale.value(line.baseline), scale.value(line.candidate),
                     scale.change(line.change), line.interval, line.of_all, line.word});
  std::vector<std::size_t> widths(heads.size());
  for (const auto& row : cells)
    for (std::size_t i = 0; i < row.size(); ++i) widths[i] = std::max(widths[i], display_width(row[i]));
  std::vector<std::string> out;
  for (const auto& row : cells) {
    std::string text = "  " + pad_right(row.front(), widths.front());
    for (std::size_t i = 1; i + 1 < row.size(); ++i) text += "  " + pad_left(row[i], widths[i]);
    if (!row.back().empty()) text += "  " + row.back();
    out.push_back(text.substr(0, text.find_last_not_of(' ') + 1));
  }
  return out;
}

std::string title(const Where& where, const Design& design) {
  const auto& candidate = design.candidate_of(where.comparison.candidate).name;
  const auto& baseline = design.candidate_of(where.comparison.baseline).name;
  const auto place = place_label(design, design.cells[where.comparison.candidate]);
  constexpr int thousand = 1000, hundred = 100;
  const int times = static_cast<int>(std::lround(1 / where.period / hundred)) * hundred;
  const auto how =
      fmt::format("{} round{} {}, sampled about {} {:03} times a second", where.rounds,
                  where.rounds == 1 ? "" : "s", way_text(where.way), times / thousand, times % thousand);
  const auto on = place.empty() ? std::string() : " on " + place;
  if (!where.whole.named)
    return fmt::format("where the cpu time of {} differs from that of {}{}: {}", candidate, baseline, on,
                       how);
  return fmt::format("where {} spends {} cpu time than {}{}: {}", candidate,
                     where.whole.change > 0 ? "more" : "less", baseline, on, how);
}

/// What to do where nothing could be named.
std::string price(const Where& where, const Figures& scale) {
  const double most =
      where.functions.empty() ? 0 : std::ranges::max(where.functions, {}, &TimePart::baseline).baseline;
  const int more = std::max(3 * static_cast<int>(where.rounds), 2 * judge::fewest_sampled_rounds());
  const double seen = judge::change_seen_after(more, most, where.period);
  return fmt::format(
      "no function can be named after {} rounds: the change is spread, or small; --rounds {} would "
      "tell changes of {} apart",
      where.rounds, more, scale.value(std::max(1.0, scale.rounded(seen))));
}

}  // namespace

std::string contradiction_text(const Where& where, const Finding& before, const Metric& metric) {
  if (!before.effect.is_ratio() || !(before.interval.high > 0) || !(where.whole.baseline > 0)) return {};
  const Interval now{.low = 1 + where.whole.low / where.whole.baseline,
                     .high = 1 + where.whole.high / where.whole.baseline};
  if (now.low <= before.interval.high && now.high >= before.interval.low) return {};
  const bool is_wall = metrics::is_kind(metric, metrics::MetricKind::wall_time);
  return fmt::format("no function is named: {} changed by {}, cpu time in {} sampled rounds by {}; {}",
                     metric.name, range_text(before.interval, model::Scale::ratio, ""), where.rounds,
                     range_text(now, model::Scale::ratio, ""),
                     is_wall ? "the change is in waiting, which samples don't show"
                             : "something else has changed since; measure again (assay again)");
}

std::vector<std::string> where_lines(const Where& where, const Design& design) {
  const Figures scale(std::max(where.whole.baseline, where.whole.candidate));
  std::vector<Line> lines;
  const auto others = where.all_functions - where.shown;
  Line rest{.name = fmt::format("all else, {} function{}", others, others == 1 ? "" : "s"),
            .baseline = scale.rounded(where.whole.baseline),
            .candidate = scale.rounded(where.whole.candidate),
            .change = scale.rounded(where.whole.change),
            .interval = scale.interval(where.rest)};
  const auto share = [&](double change) {
    return where.whole.baseline > 0 ? percent_change(change / where.whole.baseline) : std::string();
  };
  auto whole = rest;
  whole.name = "together";
  whole.interval = scale.interval(where.whole);
  whole.of_all = share(where.whole.change);
  const auto add = [&](const TimePart& part, const std::string& name) {
    constexpr std::size_t most_columns = 40;
    lines.push_back({.name = display_width(name) > most_columns ? pad_right(name, most_columns) : name,
                     .baseline = scale.rounded(part.baseline),
                     .candidate = scale.rounded(part.candidate),
                     .change = scale.rounded(part.change),
                     .interval = scale.interval(part),
                     .of_all = share(part.change),
                     .word = word_of(part)});
    rest.baseline -= lines.back().baseline;
    rest.candidate -= lines.back().candidate;
    rest.change -= lines.back().change;
  };
  for (std::size_t i = 0; i < where.shown; ++i) add(where.functions[i], where.functions[i].name);
  if (where.unsampled.named) add(where.unsampled, "in the kernel, and not sampled");
  rest.of_all = share(where.rest.change);
  rest.word = word_of_rest(where, design.rules.margin);
  lines.push_back(rest);
  lines.push_back(whole);

  std::vector<std::string> out = {title(where, design)};
  for (auto& line :
       table(lines, scale,
             {"", design.candidate_of(where.comparison.baseline).name,
              design.candidate_of(where.comparison.candidate).name, "change", "interval", "of all", ""}))
    out.push_back(std::move(line));
  if (where.shown == 0 && !where.unsampled.named) out.push_back("  " + price(where, scale));
  constexpr double mostly = 0.9;
  if (where.sampled_share < mostly)
    out.push_back(
        fmt::format("  samples stand for {} of the cpu time: the rest is in the kernel, or in processes too "
                    "short to be sampled",
                    percent(where.sampled_share)));
  return out;
}

}  // namespace assay::report
