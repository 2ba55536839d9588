#include "assay/render/text.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <set>

#include "assay/model/names.hpp"
#include "assay/render/folded.hpp"
#include "assay/render/profile.hpp"
#include "assay/render/table.hpp"
#include "assay/report/cells.hpp"
#include "assay/report/report.hpp"

namespace assay::inline v1::render {

using namespace report;  // its words
namespace {

/// Wraps each line, what follows on indented.
std::string hang(const std::vector<std::string>& lines) {
  std::string out;
  for (const auto& line : lines) out += wrapped(line, 2) + "\n";
  return out;
}

/// A sentence's lines, the verdict at its head coloured.
std::string set_sentence(const Sentence& sentence, std::size_t indent, const TextStyle& style) {
  std::string text;
  for (const auto& line : sentence.lines)
    text += (text.empty() ? "" : "\n" + std::string(indent, ' ')) + wrapped(line, indent);
  if (style.colour && !sentence.head.empty())
    text = in_colour_of(sentence.verdict, sentence.head) + text.substr(sentence.head.size());
  return text;
}

std::string head(const Report& report, bool titled, const TextStyle& style) {
  std::string out;
  if (titled) {
    const auto taken = cells_of(report.title) + 2 + cells_of(report.extent);
    const auto gap = taken <= text_width ? std::string(text_width - taken + 2, ' ') : "\n";
    out += report.title + (report.extent.empty() ? "" : gap + report.extent) + "\n\n";
  }
  const auto& said = report.said;
  if (!said.summary.empty()) out += wrapped(said.summary, 2) + "\n";
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

/// Notes of one kind: the first of them, and how many there are.
struct Notes {
  const NoteLine* first = nullptr;
  std::size_t count = 0;
  bool of_one = true;  ///< all are about one candidate
};

/// By kind, warnings before the others.
std::vector<Notes> gathered(const std::vector<NoteLine>& notes) {
  std::vector<Notes> kinds;
  for (const auto level : {Note::Level::warning, Note::Level::note})
    for (const auto& note : notes) {
      if (note.level != level) continue;
      const auto known =
          std::ranges::find_if(kinds, [&](const Notes& of) { return of.first->kind == note.kind; });
      if (known == kinds.end()) {
        kinds.push_back({&note, 1});
        continue;
      }
      ++known->count;
      known->of_one = known->of_one && !note.candidate.empty() && note.candidate == known->first->candidate;
    }
  return kinds;
}

std::string trust(const Report& report, const TextStyle& style) {
  constexpr std::size_t most = 5;
  std::string out;
  if (style.all_notes)
    for (const auto& note : report.notes)
      out += wrapped(fmt::format("note, {}: {}", note.about, note.text), 2) + "\n";
  const auto kinds = style.all_notes ? std::vector<Notes>{} : gathered(report.notes);
  std::size_t left_out = 0;
  for (std::size_t i = 0; i < kinds.size(); ++i) {
    const auto& [note, count, of_one] = kinds[i];
    if (i >= most) {
      left_out += count;
      continue;
    }
    left_out += count - 1;
    const auto more = count > 1 ? fmt::format("{} more", count - 1) : std::string{};
    out += wrapped(fmt::format("note, {}{}: {}{}", note->about, of_one && count > 1 ? " and " + more : "",
                               note->text, !of_one && count > 1 ? "; " + more + " like it" : ""),
                   2) +
           "\n";
  }
  if (left_out > 0)
    out += fmt::format("{} more {}: assay verdict --notes\n", left_out, left_out == 1 ? "note" : "notes");
  return report.provisional.empty() ? out : out + wrapped("note: " + report.provisional, 2) + "\n";
}

/// Blocks, and tables where there are too many lines for them. Of a metric whose workloads have one setting
/// each, they are the columns of one table.
std::string tables(const Findings& all, const Report& report, const TextStyle& style) {
  const bool named = all.design.kind != "duel" && all.design.kind != "contest";
  std::string out;
  std::set<MetricId> told;
  for (const auto& block : report.blocks) {
    if (told.contains(block.metric)) continue;
    const auto heading = block.metric_name + ", " + block.better;
    const auto view = std::ranges::find(report.views, block.metric, &WholeView::metric);
    if (!block.in_short.empty()) {
      out += "\n" + wrapped((named ? block.workload_name + ": " : "") + block.in_short, 2) + "\n";
    } else if (!is_wide(block.overview)) {
      out += "\n" + block_text(block, named, style);
    } else if (view != report.views.end() && all.design.workloads.size() > 1 &&
               view->overview.columns.size() <= all.design.workloads.size()) {
      told.insert(block.metric);
      out += "\n" + folded_text(view->overview, heading, style);
    } else {
      out += "\n" + folded_text(block.overview, block.workload_name + ": " + heading, style);
    }
  }
  return out;
}

}  // namespace

std::string to_text(const Findings& all, const TextStyle& style) {
  const auto report = report_of(all);
  std::string out;
  if (!report.careful.empty()) out = wrapped("! warning: " + report.careful, 2) + "\n\n";
  if (!report.confirmations.empty())
    out += "Measured again with fresh data:\n" + hang(report.confirmations) + "\n";
  out += head(report, !all.design.title.empty(), style) + tables(all, report, style);
  if (style.profile) out += profile_text(all);
  constexpr std::size_t of_each = 12;
  std::string more;
  for (const auto& lines : {first_of_each(report.together, of_each), report.trends, report.latencies,
                            report.requirements, report.first_calls, report.twins})
    more += hang(lines);
  // Where tables have no room for what moved besides, it stands here.
  const bool any_wide = std::ranges::any_of(report.blocks, is_wide, &Block::overview);
  const auto moved = any_wide ? hang(report.also_moved) : std::string{};
  for (const auto& part : {more, moved, trust(report, style)})
    if (!part.empty()) out += "\n" + part;
  return out;
}

}  // namespace assay::inline v1::render
