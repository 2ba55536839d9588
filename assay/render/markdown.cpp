#include "assay/render/markdown.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <string_view>

#include "assay/render/gate.hpp"
#include "assay/render/more.hpp"
#include "assay/render/prose.hpp"
#include "assay/render/table.hpp"
#include "assay/render/units.hpp"

namespace assay::render {
namespace {

/// Markup in a text shown as it is; one line.
std::string plain(const std::string& text) {
  std::string out;
  for (const char c : text) {
    if (c == '\n') {
      out += "<br>";
    } else if (c == '<' || c == '>' || c == '&') {
      out += c == '<' ? "&lt;" : c == '>' ? "&gt;" : "&amp;";
    } else {
      if (std::string_view("\\`*_{}[]#|~!@").find(c) != std::string_view::npos) out += '\\';
      out += c;
    }
  }
  return out;
}

std::string table(const Findings& all) {
  std::string out;
  for (const auto& f : all.findings) {
    const auto& cell = all.candidate_of(f);
    if (!is_watched(all, f) || all.candidate(cell).twin_of) continue;
    const auto& metric = all.metric_of(f);
    const bool ratio = metric.scale == Scale::ratio;
    const auto where = cell_text(all, cell);
    out += fmt::format("| {} | {} | {} | {} | {} | {} | {} |\n", plain(all.candidate(cell).name),
                       plain(where), plain(metric.name), cell_value_text(f.baseline_typical, metric.unit),
                       cell_value_text(f.candidate_typical, metric.unit),
                       effect_text(f.effect, ratio, metric.unit) + " (" +
                           range_text(f.interval.low, f.interval.high, ratio, metric.unit) + ")",
                       plain(verdict_text(f.verdict, {})));
  }
  if (out.empty()) return out;
  return "| candidate | where | metric | baseline | here | change | verdict "
         "|\n|---|---|---|--:|--:|--:|---|\n" +
         out;
}

std::string folded(const std::string& title, const std::string& body) {
  if (body.empty()) return {};
  return "<details><summary>" + title + "</summary>\n\n" + body + "\n</details>\n\n";
}

std::string list(const std::string& lines) {
  std::string out;
  std::size_t at = 0;
  while (at < lines.size()) {
    const auto end = std::min(lines.find('\n', at), lines.size());
    if (end > at) out += "- " + plain(lines.substr(at, end - at)) + "\n";
    at = end + 1;
  }
  return out;
}

}  // namespace

std::string to_markdown(const Findings& all, const GateResult* gate) {
  std::string out = "### " + plain(all.campaign.title.empty() ? "Findings" : all.campaign.title) + "\n\n";
  if (gate != nullptr) out += "**" + plain(to_text(*gate).substr(0, to_text(*gate).find('\n'))) + "**\n\n";
  if (all.provisional) out += "**Provisional**: the campaign was cut off.\n\n";
  for (const auto& sentence : sentences(all))
    out += "- **" + plain(sentence.candidate) + "**: " + plain(sentence.text) + "\n";
  out += "\n";
  const auto rows = table(all);
  const auto count = static_cast<std::size_t>(std::ranges::count(rows, '\n'));
  constexpr std::size_t few = 10;
  out += count <= few + 2 ? rows + "\n" : folded(fmt::format("{} comparisons", count - 2), rows);
  if (gate != nullptr) {
    const auto text = to_text(*gate, true);
    out += folded("the gate's reasons", list(text.substr(text.find('\n') + 1)));
  }
  out += folded("over all findings",
                list(together_lines(all, 20) + trend_lines(all) + requirement_lines(all) + twin_lines(all)));
  std::string notes;
  for (const auto& note : all.trust) notes += note.about + ": " + note.text + "\n";
  out += folded(fmt::format("{} notes on how far to trust this", all.trust.size()), list(notes));
  return out;
}

}  // namespace assay::render
