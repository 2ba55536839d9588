#include "assay/render/table.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <utility>
#include <vector>

#include "assay/render/axis.hpp"
#include "assay/report/cells.hpp"

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
  for (const auto& [what, said] : {std::pair{"", &row.runs},
                                   {"within a trial: ", &row.within},
                                   {"", &row.limit},
                                   {"moved too: ", &row.related},
                                   {"", &row.rounds_needed}})
    if (!said->empty()) text += "    " + wrap(what + *said, 6) + "\n";
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

}  // namespace assay::render
