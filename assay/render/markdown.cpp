#include "assay/render/markdown.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <string_view>

#include "assay/render/gate.hpp"
#include "assay/render/table.hpp"
#include "assay/report/lines.hpp"
#include "assay/report/notes.hpp"
#include "assay/report/sentences.hpp"
#include "assay/report/together.hpp"
#include "assay/report/units.hpp"

namespace assay::inline v1::render {

using namespace report;  // its words
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
    const auto where = cell_text(all, cell);
    out += fmt::format(
        "| {} | {} | {} | {} | {} | {} | {} |\n", plain(all.candidate(cell).name), plain(where),
        plain(metric.name), cell_value_text(f.baseline_typical, metric.unit),
        cell_value_text(f.candidate_typical, metric.unit),
        effect_text(f.effect, metric.unit) + " (" + range_text(f.interval, metric.scale, metric.unit) + ")",
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

std::string list(const std::vector<std::string>& lines) {
  std::string out;
  for (const auto& line : lines) out += "- " + plain(line) + "\n";
  return out;
}

/// Several texts as one, each on a line of its own.
std::string plain(const std::vector<std::string>& lines) {
  std::string out;
  for (const auto& line : lines) out += (out.empty() ? "" : "<br>") + plain(line);
  return out;
}

}  // namespace

std::string to_markdown(const Findings& all, const GateResult* gate) {
  std::string out = "### " + plain(all.design.title.empty() ? "Findings" : all.design.title) + "\n\n";
  if (gate != nullptr) out += "**" + plain(headline(*gate)) + "**\n\n";
  if (all.provisional) out += "**Provisional**: the campaign was cut off.\n\n";
  for (const auto& sentence : sentences(all))
    out += "- **" + plain(sentence.candidate) + "**: " + plain(sentence.lines) + "\n";
  out += "\n";
  const auto rows = table(all);
  const auto count = static_cast<std::size_t>(std::ranges::count(rows, '\n'));
  constexpr std::size_t few = 10;
  out += count <= few + 2 ? rows + "\n" : folded(fmt::format("{} comparisons", count - 2), rows);
  if (gate != nullptr) out += folded("the gate's reasons", list(reasons_of(*gate, all.design, true)));
  std::vector<std::string> over_all;
  for (const auto& lines :
       {together_lines(all, 20), trend_lines(all), requirement_lines(all), twin_lines(all)})
    over_all.insert(over_all.end(), lines.begin(), lines.end());
  out += folded("over all findings", list(over_all));
  std::vector<std::string> notes;
  for (const auto& note : all.trust) {
    const auto [about, text] = worded(all.design, note);
    notes.push_back(about + ": " + text);
  }
  out += folded(fmt::format("{} notes on how far to trust this", notes.size()), list(notes));
  return out;
}

}  // namespace assay::inline v1::render
