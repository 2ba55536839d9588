#include "assay/render/text_tables.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <utility>
#include <vector>

#include "assay/report/format.hpp"
#include "assay/report/report.hpp"

namespace assay::render {

using namespace report;  // its words
namespace {

constexpr std::size_t typical_width = 9, change_width = 8, range_width = 18;

std::string title(const ComparisonTable& block, bool names_workload) {
  return fmt::format("{}{}{}, {}; change against {}; {}",
                     names_workload && !block.workload_name.empty() ? block.workload_name + ": " : "",
                     block.metric_name, block.unit.empty() ? "" : " (" + block.unit + ")", block.better,
                     block.baseline, block.rules);
}

/// How wide each column of levels is, under its factor's name.
std::vector<std::size_t> level_widths(const ComparisonTable& block) {
  std::vector<std::size_t> widths;
  for (const auto& factor : block.factors) widths.push_back(display_width(factor));
  for (const auto& setting : block.settings)
    for (const auto& row : setting.rows)
      for (std::size_t i = 0; i < std::min(widths.size(), row.levels.size()); ++i)
        widths[i] = std::max(widths[i], display_width(row.levels[i]));
  return widths;
}

/// Levels side by side, or the factors' names above them.
std::string in_columns(const std::vector<std::string>& texts, const std::vector<std::size_t>& widths) {
  std::string line;
  for (std::size_t i = 0; i < std::min(widths.size(), texts.size()); ++i)
    line += "  " + pad_left(texts[i], widths[i]);
  return line;
}

/// A row's name: its candidate, or, of a block with one candidate, its setting.
std::string name_of(const ComparisonTable& block, const Row& row) {
  if (block.single_row() == nullptr) return "  " + row.candidate;
  return block.factors.empty() ? "  " + row.setting : in_columns(row.levels, level_widths(block));
}

/// Widest name, with its indent, within reason.
std::size_t name_width(const ComparisonTable& block) {
  const bool one = block.single_row() != nullptr;
  std::size_t widest = one ? display_width(in_columns(block.factors, level_widths(block))) : 8;
  for (const auto& setting : block.settings)
    for (const auto& row : setting.rows)
      if (row.finding != nullptr) widest = std::max(widest, display_width(name_of(block, row)));
  return std::min<std::size_t>(widest, one ? 32 : 22);
}

std::string verdict_of(const Row& row) { return row.sign + " " + row.verdict; }

/// How a block is laid out: the width of each column.
struct Layout {
  std::size_t names, baseline = 0;  ///< baseline: of its values in a column of their own; 0: they have none
  std::size_t typical = typical_width + 2;
  std::size_t axis = 26;
};

/// A column as wide as its head, within reason.
std::size_t width_under(const std::string& head) {
  constexpr std::size_t most = 14;
  return std::clamp(display_width(head), typical_width, most) + 2;
}

Layout layout_of(const ComparisonTable& block) {
  Layout layout{.names = name_width(block)};
  const auto* only = block.single_row();
  if (only == nullptr) return layout;
  layout.baseline = width_under(only->baseline);
  layout.typical = width_under(only->candidate);
  std::size_t verdicts = 0;
  for (const auto& setting : block.settings)
    for (const auto& row : setting.rows)
      if (row.finding != nullptr) verdicts = std::max(verdicts, display_width(verdict_of(row)));
  const auto others =
      layout.names + layout.baseline + layout.typical + change_width + range_width + 9 + verdicts;
  layout.axis = std::clamp<std::size_t>(text_width - std::min(others, text_width), 12, 26);
  return layout;
}

std::string coloured(const Row& row, const TextStyle& style) {
  return style.colour ? in_colour_of(row.finding->verdict, verdict_of(row)) : verdict_of(row);
}

/// A name in a column: cut where it is wider.
std::string head(const std::string& name, std::size_t width) {
  return pad_left(display_width(name) + 1 < width ? name : pad_right(name, width - 2), width);
}

std::string row_text(const ComparisonTable& block, const Row& row, const Layout& layout, const Axis& axis,
                     const TextStyle& style) {
  auto text = pad_right(name_of(block, row), layout.names);
  if (row.finding == nullptr)
    return text + pad_left("–", layout.baseline + layout.typical) + "   " + row.reason + "\n";
  if (layout.baseline > 0) text += pad_left(row.baseline_typical, layout.baseline);
  text += pad_left(row.typical, layout.typical) + pad_left(row.change, change_width + 2) +
          pad_left(row.interval, range_width + 2) + "   " + axis.draw(*row.finding) + "  " +
          coloured(row, style) + "\n";
  for (const auto& [what, text_of_it] : {std::pair{"", &row.machines},
                                         {"", &row.runs},
                                         {"within a trial: ", &row.within},
                                         {"", &row.limit},
                                         {"moved too: ", &row.related},
                                         {"", &row.rounds_needed}})
    if (!text_of_it->empty()) text += "    " + wrap(what + *text_of_it, 6) + "\n";
  return text;
}

}  // namespace

std::string in_colour_of(Verdict verdict, const std::string& text) {
  const auto& [better, worse, none] = terminal_codes;
  const auto code = verdict == Verdict::better ? better : verdict == Verdict::worse ? worse : none;
  return std::string(code) + text + std::string(none);
}

std::string block_text(const ComparisonTable& block, bool names_workload, const TextStyle& style) {
  const auto findings = block.findings();
  const auto layout = layout_of(block);
  const Axis axis(findings, findings.front()->effect.scale, layout.axis);
  const auto* only = block.single_row();
  std::string out = wrap(title(block, names_workload), 2) + "\n";
  out += pad_right(only == nullptr ? "" : in_columns(block.factors, level_widths(block)), layout.names);
  if (only != nullptr) out += head(only->baseline, layout.baseline);
  out += (only != nullptr ? head(only->candidate, layout.typical) : pad_left("typical", layout.typical)) +
         pad_left("change", change_width + 2) + pad_left("interval", range_width + 2) + "   " +
         axis.legend(block.unit_of_effects) + "\n";
  for (const auto& setting : block.settings) {
    if (only == nullptr) out += setting.baseline_text + "\n";
    for (const auto& row : setting.rows) out += row_text(block, row, layout, axis, style);
  }
  if (!block.advice.empty()) out += wrap(block.advice, 2) + "\n";
  return out;
}

using namespace report;  // its words
namespace {

constexpr std::size_t column_width = 13;

}  // namespace

bool is_wide(const Overview& overview) {
  constexpr std::size_t many = 24;
  return overview.rows.size() * overview.columns.size() > many;
}

std::string matrix_text(const Overview& overview, const std::string& heading, const TextStyle& style) {
  std::size_t names = 10;
  for (const auto& name : overview.names) names = std::max(names, display_width(name) + 1);
  names = std::min<std::size_t>(names, 30);
  std::string out = heading + "; change against the baseline; --only shows more\n";
  const std::size_t fit = std::max<std::size_t>(1, (text_width - names) / (column_width + 1));
  for (std::size_t from = 0; from < overview.columns.size(); from += fit) {
    const auto to = std::min(from + fit, overview.columns.size());
    if (from > 0) out += "\n";
    out += pad_right("", names);
    for (auto c = from; c < to; ++c) {
      const auto& title = overview.columns[c];
      out += " " + pad_left(display_width(title) > column_width ? pad_right(title, column_width) : title,
                            column_width);
    }
    out += "\n";
    for (std::size_t r = 0; r < overview.rows.size(); ++r) {
      const auto& name = overview.names[r];
      out += pad_right(display_width(name) < names ? name : pad_right(name, names - 1), names);
      for (auto c = from; c < to; ++c) {
        const auto& entry = overview.rows[r][c];
        const auto text = pad_left(entry.text, column_width);
        out += " " +
               (style.colour && entry.finding != nullptr ? in_colour_of(entry.finding->verdict, text) : text);
      }
      out += "\n";
    }
  }
  return out;
}

using namespace report;  // its words
namespace {

constexpr std::size_t of_value = 10, of_change = 11;

std::string name_to_fit(const std::string& name, std::size_t width) {
  return display_width(name) <= width ? name : pad_right(name, width);
}

/// The candidates from `from` up to `to`.
std::string table(const Profile& profile, std::size_t names, std::size_t from, std::size_t to) {
  auto out = pad_right("", names) + pad_left(name_to_fit(profile.baseline, of_value), of_value + 1);
  for (auto i = from; i < to; ++i)
    out += pad_left(name_to_fit(profile.candidates[i], of_value + of_change), of_value + of_change + 3);
  out += "\n";
  for (const auto& line : profile.lines) {
    out += pad_right("  " + line.metric, names) + pad_left(line.baseline, of_value + 1);
    for (auto i = from; i < to; ++i) {
      const auto& entry = line.entries[i];
      out += pad_left(entry.typical, of_value + 1) + pad_left(entry.change, of_change) + " " +
             (entry.sign.empty() ? " " : entry.sign);
    }
    out.erase(out.find_last_not_of(' ') + 1);
    out += "\n";
  }
  return out;
}

}  // namespace

std::string profile_text(const Findings& findings) {
  std::string out;
  for (const auto& profile : make_profiles(findings)) {
    std::size_t names = 10;
    for (const auto& line : profile.lines) names = std::max(names, display_width(line.metric) + 3);
    names = std::min<std::size_t>(names, 32);
    const std::size_t taken = names + of_value + 1, each = of_value + of_change + 3;
    const std::size_t fit = std::max<std::size_t>(1, (text_width - taken) / each);
    out += "\nprofile" + (profile.where.empty() ? "" : ", " + profile.where) + ": change against " +
           profile.baseline + "; +, ! and = where a verdict was reached\n";
    for (std::size_t from = 0; from < profile.candidates.size(); from += fit)
      out += table(profile, names, from, std::min(from + fit, profile.candidates.size()));
  }
  return out;
}

using namespace report;  // its words

Axis::Axis(const std::vector<const Finding*>& findings, Scale scale, std::size_t width)
    : scale_(scale), width_(width) {
  double margin = 0;
  for (const auto* finding : findings) {
    margin = std::max(margin, transformed_margin(scale, finding->margin));
    for (const double effect : {finding->interval.low, finding->interval.high, finding->effect.value})
      if (const double at = position(effect); std::isfinite(at)) {
        low_ = std::min(low_, at);
        high_ = std::max(high_, at);
      }
  }
  low_ = std::min(low_, -margin);
  high_ = std::max(high_, margin);
  if (low_ == high_) {
    low_ -= 0.01;
    high_ += 0.01;
  }
}

std::size_t Axis::column(double effect) const {
  const double share = (position(effect) - low_) / (high_ - low_);
  return static_cast<std::size_t>(std::lround(std::clamp(share, 0.0, 1.0) * static_cast<double>(width_ - 1)));
}

std::string Axis::draw(const Finding& finding) const {
  std::vector<std::string> cells(width_, " ");
  const auto zero = column(Effect::none(scale_).value);
  const bool open_low = !std::isfinite(position(finding.interval.low)),
             open_high = !std::isfinite(position(finding.interval.high));
  const auto from = open_low ? 0 : column(finding.interval.low);
  const auto to = open_high ? width_ - 1 : column(finding.interval.high);
  cells[zero] = "│";
  for (auto i = from; i <= to; ++i) cells[i] = i == zero ? "┼" : "─";
  cells[from] = open_low ? "←" : "├";
  cells[to] = open_high ? "→" : "┤";
  cells[column(finding.effect.value)] = "●";
  std::string line;
  for (const auto& cell : cells) line += cell;
  return line;
}

std::string Axis::legend(const std::string& unit) const {
  const auto shown = [&](double at) { return effect_text(Effect::from_transformed(scale_, at), unit); };
  const auto zero = column(Effect::none(scale_).value);
  const auto from = shown(low_), to = shown(high_);
  std::string line = from;
  if (zero > display_width(line) && zero + 2 + display_width(to) < width_) line = pad_right(line, zero) + "0";
  return pad_right(line, width_ - std::min(width_, display_width(to))) + to;
}

}  // namespace assay::render
