#include "assay/render/table.hpp"

#include <fmt/format.h>

#include <algorithm>

#include "assay/render/axis.hpp"
#include "assay/report/cells.hpp"

namespace assay::inline v1::render {

using namespace report;  // its words
namespace {

constexpr std::size_t typical_width = 9, change_width = 8, range_width = 18, axis_width = 26;

std::string title(const Block& block, bool names_workload) {
  return fmt::format("{}{}{}, {}; change against {}; {}",
                     names_workload && !block.workload_name.empty() ? block.workload_name + ": " : "",
                     block.metric_name, block.unit.empty() ? "" : " (" + block.unit + ")", block.better,
                     block.baseline, block.rules);
}

/// Widest name, with its indent, within reason.
std::size_t name_width(const Block& block) {
  std::size_t widest = 8;
  for (const auto& setting : block.settings)
    for (const auto& row : setting.rows)
      if (row.finding != nullptr) widest = std::max(widest, cells_of(row.candidate) + 2);
  return std::min<std::size_t>(widest, 22);
}

std::string coloured(const Row& row, const TextStyle& style) {
  const auto text = row.sign + " " + row.verdict;
  return style.colour ? in_colour_of(row.finding->verdict, text) : text;
}

std::string row_text(const Row& row, std::size_t names, const Axis& axis, const TextStyle& style) {
  if (row.finding == nullptr)
    return left("  " + row.candidate, names) + right("–", typical_width + 2) + "   " + row.why + "\n";
  auto text = left("  " + row.candidate, names) + right(row.typical, typical_width + 2) +
              right(row.change, change_width + 2) + right(row.interval, range_width + 2) + "   " +
              axis.draw(*row.finding) + "  " + coloured(row, style) + "\n";
  if (!row.runs.empty()) text += "    " + row.runs + "\n";
  if (!row.moved.empty()) text += "    moved too: " + row.moved + "\n";
  if (!row.settle.empty()) text += "    " + row.settle + "\n";
  return text;
}

}  // namespace

std::string in_colour_of(Verdict verdict, const std::string& text) {
  const auto& [better, worse, none] = terminal_codes;
  const auto code = verdict == Verdict::better ? better : verdict == Verdict::worse ? worse : none;
  return std::string(code) + text + std::string(none);
}

std::string block_text(const Block& block, bool names_workload, const TextStyle& style) {
  const auto findings = block.findings();
  const Axis axis(findings, findings.front()->effect.scale, axis_width);
  const auto names = name_width(block);
  std::string out = wrapped(title(block, names_workload), 2) + "\n";
  out += left("", names) + right("typical", typical_width + 2) + right("change", change_width + 2) +
         right("interval", range_width + 2) + "   " + axis.legend(block.unit_of_effects) + "\n";
  for (const auto& setting : block.settings) {
    out += setting.against + "\n";
    for (const auto& row : setting.rows) out += row_text(row, names, axis, style);
  }
  return out;
}

}  // namespace assay::inline v1::render
