#include "assay/render/text.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <set>
#include <sstream>

#include "assay/model/names.hpp"
#include "assay/render/folded.hpp"
#include "assay/render/table.hpp"
#include "assay/report/cells.hpp"
#include "assay/report/evidence.hpp"
#include "assay/report/lines.hpp"
#include "assay/report/notes.hpp"
#include "assay/report/overview.hpp"
#include "assay/report/sentences.hpp"
#include "assay/report/together.hpp"
#include "assay/report/units.hpp"

namespace assay::inline v1::render {

using namespace report;  // its words
namespace {

/// Breaks a text at spaces; its own line breaks stay. Lines after the first are indented.
std::string wrap(const std::string& text, std::size_t indent) {
  std::string out;
  std::istringstream lines(text);
  bool first = true;
  for (std::string line; std::getline(lines, line); first = false) {
    if (!first) out += "\n" + std::string(indent, ' ');
    std::size_t used = indent;
    std::istringstream words(line);
    bool line_start = true;
    for (std::string word; words >> word; line_start = false) {
      if (!line_start && used + 1 + cells_of(word) > text_width) {
        out += "\n" + std::string(indent, ' ');
        used = indent;
        line_start = true;
      }
      out += (line_start ? "" : " ") + word;
      used += cells_of(word) + (line_start ? 0 : 1);
    }
  }
  return out;
}

/// Wraps each line, what follows on indented.
std::string hang(const std::vector<std::string>& lines) {
  std::string out;
  for (const auto& line : lines) out += wrap(line, 2) + "\n";
  return out;
}

/// A sentence's lines, the verdict at its head coloured.
std::string set_sentence(const Sentence& sentence, std::size_t indent, const TextStyle& style) {
  std::string text;
  for (const auto& line : sentence.lines)
    text += (text.empty() ? "" : "\n" + std::string(indent, ' ')) + wrap(line, indent);
  const auto word = to_string(sentence.verdict);
  if (style.colour && text.starts_with(word))
    text = colour_of(sentence.verdict) + word + "\x1b[0m" + text.substr(word.size());
  return text;
}

std::string head(const Findings& all, const TextStyle& style) {
  std::string out;
  if (!all.design.title.empty()) out += all.design.title + "\n\n";
  const auto said = say(all);
  if (!said.summary.empty()) out += wrap(said.summary, 2) + "\n";
  std::size_t widest = 0;
  for (const auto& sentence : said.first) widest = std::max(widest, cells_of(sentence.candidate));
  const auto names = std::min<std::size_t>(widest, 30) + 2;
  for (const auto& sentence : said.first) {
    const bool fits = cells_of(sentence.candidate) < names;
    out += fits ? left(sentence.candidate, names) : sentence.candidate + "\n" + std::string(names, ' ');
    out += set_sentence(sentence, names, style) + "\n";
  }
  if (const auto more = std::ranges::count_if(said.rest, &Sentence::notable); more > 0)
    out += fmt::format(
        "and {} more that are better, worse or left out somewhere; --only candidate=NAME shows one\n", more);
  return out;
}

std::string trust(const Findings& all) {
  std::string out;
  for (const auto& note : all.trust) {
    const auto [about, text] = worded(all.design, note);
    out += wrap(fmt::format("note, {}: {}", about, text), 2) + "\n";
  }
  if (!all.provisional) return out;
  return out +
         wrap(fmt::format("note: provisional, the campaign was {} after {} whole rounds",
                          all.state == CampaignState::interrupted ? "interrupted" : "cut off", all.rounds),
              2) +
         "\n";
}

}  // namespace

std::string to_text(const Findings& all, const TextStyle& style) {
  std::string out;
  if (const auto careful = bad_twin_text(all); !careful.empty())
    out = wrap("! careful: " + careful, 2) + "\n\n";
  if (const auto again = confirmation_lines(all); !again.empty())
    out += "Measured again with fresh data:\n" + hang(again) + "\n";
  out += head(all, style);
  bool any_wide = false;    // no room there for what moved besides
  std::set<MetricId> told;  // metrics whose workloads, having one setting each, are columns of one table
  for (const auto workload : all.design.workloads.ids())
    for (const auto metric : all.design.metrics.ids()) {
      if (!all.design.metrics[metric].demand.watched || told.contains(metric)) continue;
      const bool wide = is_wide(all, workload, metric);
      any_wide = any_wide || wide;
      std::string text;
      if (wide && all.design.workloads.size() > 1 &&
          overview_of(all, metric).columns.size() <= all.design.workloads.size()) {
        told.insert(metric);
        text = folded_block(all, {}, metric, style);
      } else {
        text = wide ? folded_block(all, workload, metric, style) : block(all, workload, metric, style);
      }
      if (!text.empty()) out += "\n" + text;
    }
  std::string more;
  for (const auto& lines : {together_lines(all, 12), trend_lines(all), requirement_lines(all),
                            first_call_lines(all), twin_lines(all)})
    more += hang(lines);
  const auto moved = any_wide ? hang(also_moved_lines(all)) : std::string{};
  for (const auto& part : {more, moved, trust(all)})
    if (!part.empty()) out += "\n" + part;
  return out;
}

}  // namespace assay::inline v1::render
