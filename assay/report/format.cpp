#include "assay/report/format.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <cstddef>
#include <sstream>
#include <utility>
#include <variant>
#include <vector>

#include "assay/metrics/catalogue.hpp"
#include "assay/model/enum_names.hpp"
#include "assay/model/setting.hpp"

namespace assay::report {

std::string short_number(double value) {
  const double size = std::abs(value);
  auto plain = fmt::format("{:.{}f}", value, size >= 99.95 ? 0 : size >= 9.995 ? 1 : size >= 0.0995 ? 2 : 4);
  if (plain.find('.') != std::string::npos) {
    plain.erase(plain.find_last_not_of('0') + 1);
    if (plain.back() == '.') plain.pop_back();
  }
  return plain;
}

std::string percent(double share) { return short_number(std::abs(share) * 100) + " %"; }

std::string percent_change(double share) {
  if (share >= 1) return "×" + short_number(std::round((1 + share) * 10) / 10);
  const double tenths = std::round(share * 1000) / 10;
  if (tenths == 0) return "0 %";
  return (tenths > 0 ? "+" : "−") + short_number(std::abs(tenths)) + " %";
}

std::string exact_number(double value) { return to_string(Level{value}); }

namespace {

constexpr const char* minus = "−";

std::string scaled(double value, const char* unit) { return number_text(value) + " " + unit; }

/// Whole numbers in groups of three: 12 345 678.
std::string grouped(double value) {
  auto digits = fmt::format("{:.0f}", value);
  for (auto at = static_cast<std::ptrdiff_t>(digits.size()) - 3; at > 0; at -= 3)
    digits.insert(static_cast<std::size_t>(at), " ");
  return digits;
}

std::string per_cent(double change) {
  const double size = std::abs(change);
  const int places = size < 0.9995 ? 2 : size < 9.995 ? 1 : 0;
  auto digits = fmt::format("{:.{}f}", size, places);
  if (digits == "0.00") return "0";
  return (change < 0 ? minus : "+") + digits;
}

}  // namespace

std::string number_text(double value) {
  if (!std::isfinite(value)) return "any";
  const double size = std::abs(value);
  if (size != 0 && (size < 1e-4 || size >= 1e9)) return fmt::format("{:.3g}", value);
  if (size >= 10000) return (value < 0 ? minus : "") + grouped(size);
  if (size >= 999.5) return fmt::format("{:.0f}", value);
  return fmt::format("{:.3g}", value);
}

std::string value_text(double value, const std::string& unit) {
  const double size = std::abs(value);
  if (unit == "s") {
    if (value == 0) return "0 s";
    if (size < 1e-6) return scaled(value * 1e9, "ns");
    if (size < 0.9995e-3) return scaled(value * 1e6, "µs");
    if (size < 0.9995) return scaled(value * 1e3, "ms");
    return size < 600 ? scaled(value, "s") : duration(value);
  }
  if (unit == "B") {
    constexpr std::array<std::pair<double, const char*>, 4> steps = {
        {{1099511627776.0, "TiB"}, {1073741824.0, "GiB"}, {1048576.0, "MiB"}, {1024.0, "KiB"}}};
    for (const auto& [step, name] : steps)
      if (size >= step) return scaled(value / step, name);
    return scaled(value, "B");
  }
  return unit.empty() ? number_text(value) : number_text(value) + " " + unit;
}

std::string cell_value_text(double value, const std::string& unit) {
  if (unit == "s" || unit == "B") return value_text(value, unit);
  constexpr std::array<std::pair<double, const char*>, 3> steps = {{{1e9, "G"}, {1e6, "M"}, {1e3, "k"}}};
  if (std::abs(value) >= 1e4)
    for (const auto& [step, name] : steps)
      if (std::abs(value) >= step) return scaled(value / step, name);
  return number_text(value);
}

std::string duration(double seconds) {
  if (seconds < 9.95) return fmt::format("{:.1f} s", seconds);
  const auto whole = std::llround(seconds);
  if (whole < 120) return fmt::format("{} s", whole);
  if (whole < 7200) return fmt::format("{} min {:02} s", whole / 60, whole % 60);
  return fmt::format("{} h {:02} min", whole / 3600, whole % 3600 / 60);
}

std::string change_text(double ratio) {
  if (!std::isfinite(ratio) || ratio <= 0) return "any";
  const double factor = ratio >= 1 ? ratio : 1 / ratio;
  if (factor >= 2) {
    const auto digits = factor < 9.95  ? fmt::format("{:.1f}", factor)
                        : factor < 1e6 ? grouped(factor)
                                       : fmt::format("{:.2g}", factor);
    return (ratio >= 1 ? "×" : "÷") + digits;
  }
  return per_cent((ratio - 1) * 100) + " %";
}

std::string effect_text(const Effect& effect, const std::string& unit) {
  if (effect.is_ratio()) return change_text(effect.value);
  if (!std::isfinite(effect.value)) return "any";
  if (effect.value == 0) return value_text(0, unit);
  return (effect.value < 0 ? minus : "+") + value_text(std::abs(effect.value), unit);
}

std::string range_text(const Interval& interval, Scale scale, const std::string& unit) {
  const bool ratio = scale == Scale::ratio;
  const bool any_low = !std::isfinite(interval.low) || (ratio && interval.low <= 0);
  const bool any_high = !std::isfinite(interval.high);
  if (any_low && any_high) return "not known yet";
  if (any_low) return "below " + effect_text({scale, interval.high}, unit);
  if (any_high) return "above " + effect_text({scale, interval.low}, unit);
  auto from = effect_text({scale, interval.low}, unit);
  const auto to = effect_text({scale, interval.high}, unit);
  if (from.ends_with(" %") && to.ends_with(" %")) from.resize(from.size() - 2);
  return from + " … " + to;
}

std::string effect_range(const Effect& low, const Effect& high, const std::string& unit) {
  auto from = effect_text(low, unit);
  const auto to = effect_text(high, unit);
  if (from == to) return from;
  if (from.ends_with(" %") && to.ends_with(" %")) from.resize(from.size() - 2);
  return from + " to " + to;
}

bool is_imprecise(const Effect& effect, const Interval& interval) {
  constexpr double part = 1.0 / 3;
  return half_width(effect.scale, interval) > part * effect.distance();
}

std::string at_least_text(const Effect& effect, const Interval& interval, const std::string& unit) {
  const bool falls = effect.transformed() < 0;
  return is_imprecise(effect, interval)
             ? "at least " + effect_text({effect.scale, falls ? interval.high : interval.low}, unit)
             : effect_text(effect, unit);
}

std::string verdict_word(const Metric& metric, Verdict verdict) {
  const auto& words = metrics::change_words(metric);
  switch (verdict) {
    case Verdict::better:
      return words.better;
    case Verdict::worse:
      return words.worse;
    case Verdict::same:
    case Verdict::unclear:
    case Verdict::differs:
      break;
  }
  return to_string(verdict);
}

std::string verdict_phrase(const Metric& metric, Verdict verdict) {
  const auto& words = metrics::change_words(metric);
  auto phrase = words.article.empty() ? verdict_word(metric, verdict)
                                      : words.article + " " + verdict_word(metric, verdict);
  return words.what.empty() ? phrase : phrase + " " + words.what;
}

std::string method_text(std::optional<TestMethod> method) {
  if (!method) return {};
  switch (*method) {
    case TestMethod::compared_directly:
      return "compared directly";
    case TestMethod::signed_rank:
      return "signed-rank test of paired rounds, Walsh-average interval";
    case TestMethod::signed_rank_of_medians:
      return "signed-rank test of the medians of paired rounds, Walsh-average interval";
    case TestMethod::clipped_signed_rank:
      return "clipped signed-rank test of paired rounds, fast runs";
    case TestMethod::blocked_ranks_and_t:
      return "blocked rank test of rounds with repeats and Student's t of their medians, both";
    case TestMethod::weighted_mean:
      return "sign-flip test of the weighted mean of comparisons";
    case TestMethod::mann_whitney_exact:
      return "Mann-Whitney, exact";
    case TestMethod::mann_whitney_approximate:
      return "Mann-Whitney, approximate";
  }
  return {};
}

std::size_t display_width(const std::string& text) {
  return static_cast<std::size_t>(
      std::ranges::count_if(text, [](char c) { return (static_cast<unsigned char>(c) & 0xC0U) != 0x80; }));
}

namespace {

/// Where a command begins that ends the line, as "…: assay run --rounds 60": it stays in one piece, since
/// what is pasted of it in two is two commands. The line's length where there is none.
std::size_t command_of(const std::string& line) {
  for (const char* begin : {": assay ", ": ./"})
    if (const auto at = line.find(begin);
        at != std::string::npos && line.find(" --rounds ", at) != std::string::npos)
      return at + 2;
  return line.size();
}

/// The words of a line; a number and its per cent sign are one, and so is a command.
std::vector<std::string> words_of(const std::string& line) {
  std::vector<std::string> words;
  const auto command = command_of(line);
  std::istringstream in(line.substr(0, command));
  for (std::string word; in >> word;)
    if (word.starts_with('%') && !words.empty())
      words.back() += " " + word;
    else
      words.push_back(word);
  if (command < line.size()) words.push_back(line.substr(command));
  return words;
}

}  // namespace

std::string wrap(const std::string& text, std::size_t indent) {
  std::string out;
  std::istringstream lines(text);
  bool first = true;
  for (std::string line; std::getline(lines, line); first = false) {
    if (!first) out += "\n" + std::string(indent, ' ');
    std::size_t used = indent;
    bool line_start = true;
    for (const auto& word : words_of(line)) {
      if (!line_start && used + 1 + display_width(word) > text_width) {
        out += "\n" + std::string(indent, ' ');
        used = indent;
        line_start = true;
      }
      out += (line_start ? "" : " ") + word;
      used += display_width(word) + (line_start ? 0 : 1);
      line_start = false;
    }
  }
  return out;
}

namespace {

std::string cut(const std::string& text, std::size_t width) {
  if (display_width(text) <= width) return text;
  std::string shorter;
  std::size_t cells = 0;
  for (const char c : text) {
    if ((static_cast<unsigned char>(c) & 0xC0U) != 0x80 && ++cells == width) break;
    shorter += c;
  }
  return shorter + "…";
}

std::string filling(const std::string& text, std::size_t width) {
  const auto used = display_width(text);
  return std::string(used < width ? width - used : 0, ' ');
}

}  // namespace

std::string pad_right(const std::string& text, std::size_t width) {
  const auto fits = cut(text, width);
  return fits + filling(fits, width);
}

std::string pad_left(const std::string& text, std::size_t width) {
  const auto fits = cut(text, width);
  return filling(fits, width) + fits;
}

std::string place_label(const Design& design, const Cell& cell) {
  std::string text = design.workloads.size() > 1 ? design.workloads[cell.workload].name : "";
  if (const auto setting = cell.setting.text(); !setting.empty())
    text += (text.empty() ? "" : ", ") + setting;
  return text;
}

std::string cell_label(const Design& design, CellId id) {
  const auto& cell = design.cells[id];
  std::string text = design.candidates[cell.candidate].name;
  if (design.workloads.size() > 1) text += " on " + design.workloads[cell.workload].name;
  if (const auto setting = cell.setting.text(); !setting.empty()) text += ", " + setting;
  return text;
}

std::string subject_label(const Design& design, const Subject& subject) {
  struct Name {
    const Design& design;
    std::string operator()(const WholeCampaign&) const { return "the campaign"; }
    std::string operator()(const ThisMachine& machine) const {
      return machine.number == 0 ? "this machine" : fmt::format("machine {}", machine.number);
    }
    std::string operator()(CandidateId id) const { return design.candidates[id].name; }
    std::string operator()(CellId id) const { return cell_label(design, id); }
    std::string operator()(WorkloadId id) const { return "workload " + design.workloads[id].name; }
    std::string operator()(MetricId id) const { return design.metrics[id].name; }
  };
  return std::visit(Name{design}, subject);
}

std::string sign_of(Verdict verdict) {
  switch (verdict) {
    case Verdict::better:
      return "+";
    case Verdict::worse:
      return "!";
    case Verdict::same:
      return "=";
    case Verdict::differs:
      return "≠";
    case Verdict::unclear:
      break;
  }
  return "?";
}

}  // namespace assay::report
