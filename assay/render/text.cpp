#include <fmt/format.h>

#include <algorithm>
#include <set>

#include "assay/model/enum_names.hpp"
#include "assay/render/documents.hpp"
#include "assay/render/text_tables.hpp"
#include "assay/report/format.hpp"
#include "assay/report/report.hpp"
#include "assay/report/where_text.hpp"

namespace assay::render {

using namespace report;  // its words
namespace {

/// Wraps each line, what follows on indented.
std::string wrap_lines(const std::vector<std::string>& lines) {
  std::string out;
  for (const auto& line : lines) out += wrap(line, 2) + "\n";
  return out;
}

/// A sentence's lines, the verdict at its head coloured.
std::string format_sentence(const Sentence& sentence, std::size_t indent, const TextStyle& style) {
  std::string text;
  for (const auto& line : sentence.lines)
    text += (text.empty() ? "" : "\n" + std::string(indent, ' ')) + wrap(line, indent);
  if (style.colour && !sentence.head.empty())
    text = in_colour_of(sentence.verdict, sentence.head) + text.substr(sentence.head.size());
  return text;
}

std::string head(const Report& report, bool titled, const TextStyle& style) {
  std::string out;
  if (titled) {
    const auto taken = display_width(report.title) + 2 + display_width(report.extent);
    const auto gap = taken <= text_width ? std::string(text_width - taken + 2, ' ') : "\n";
    out += report.title + (report.extent.empty() ? "" : gap + report.extent) + "\n\n";
  }
  for (const auto& line : report.ways) out += wrap(line, 2) + "\n";
  if (!report.ways.empty()) out += "\n";
  const auto& candidates = report.candidates;
  if (!candidates.summary.empty()) out += wrap(candidates.summary, 2) + "\n";
  std::size_t widest = 0;
  for (const auto& sentence : candidates.first) widest = std::max(widest, display_width(sentence.candidate));
  const auto names = std::min<std::size_t>(widest, 30) + 2;
  for (const auto& sentence : candidates.first) {
    const bool fits = display_width(sentence.candidate) < names;
    out += fits ? pad_right(sentence.candidate, names) : sentence.candidate + "\n" + std::string(names, ' ');
    out += format_sentence(sentence, names, style) + "\n";
  }
  if (const auto more = std::ranges::count_if(candidates.rest, &Sentence::is_notable); more > 0)
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

std::string notes(const Report& report, const TextStyle& style) {
  constexpr std::size_t most = 5;
  std::string out;
  if (style.all_notes)
    for (const auto& note : report.notes)
      out += wrap(fmt::format("note, {}: {}", note.about, note.text), 2) + "\n";
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
    out += wrap(fmt::format("note, {}{}: {}{}", note->about, of_one && count > 1 ? " and " + more : "",
                            note->text, !of_one && count > 1 ? "; " + more + " like it" : ""),
                2) +
           "\n";
  }
  if (left_out > 0)
    out += fmt::format("{} more {}: assay verdict --notes\n", left_out, left_out == 1 ? "note" : "notes");
  return report.provisional.empty() ? out : out + wrap("note: " + report.provisional, 2) + "\n";
}

/// Blocks, and tables where there are too many lines for them. Of a metric whose workloads have one setting
/// each, they are the columns of one table.
std::string tables(const Findings& all, const Report& report, const TextStyle& style) {
  const bool named = all.design.kind != CampaignKind::duel && all.design.kind != CampaignKind::contest;
  std::string out;
  std::set<MetricId> shown;
  for (const auto& block : report.blocks) {
    if (shown.contains(block.metric)) continue;
    const auto heading = block.metric_name + ", " + block.better;
    const auto view = std::ranges::find(report.views, block.metric, &MatrixView::metric);
    if (!block.in_short.empty()) {
      out += "\n" + wrap((named ? block.workload_name + ": " : "") + block.in_short, 2) + "\n";
    } else if (!is_wide(block.overview)) {
      out += "\n" + block_text(block, named, style);
    } else if (view != report.views.end() && all.design.workloads.size() > 1 &&
               view->overview.columns.size() <= all.design.workloads.size()) {
      shown.insert(block.metric);
      out += "\n" + matrix_text(view->overview, heading, style);
    } else {
      out += "\n" + matrix_text(block.overview, block.workload_name + ": " + heading, style);
    }
  }
  return out;
}

}  // namespace

std::string to_text(const Findings& all, const TextStyle& style) {
  const auto report = make_report(all);
  std::string out;
  if (!report.warning.empty()) out = wrap("! warning: " + report.warning, 2) + "\n\n";
  if (!report.confirmations.empty())
    out += "Measured again with fresh data:\n" + wrap_lines(report.confirmations) + "\n";
  out += head(report, !all.design.title.empty(), style) + tables(all, report, style);
  if (style.profile) out += profile_text(all);
  constexpr std::size_t of_each = 12;
  std::string more;
  for (const auto& lines : {limit_each(report.aggregates, of_each), report.trends, report.latencies,
                            report.requirements, report.first_calls, report.twins})
    more += wrap_lines(lines);
  // Where tables have no room for what moved besides, it stands here.
  const bool any_wide = std::ranges::any_of(report.blocks, is_wide, &ComparisonTable::overview);
  const auto moved = any_wide ? wrap_lines(report.other_changes) : std::string{};
  for (const auto& part : {more, moved, notes(report, style)})
    if (!part.empty()) out += "\n" + part;
  if (!all.where.empty()) out += "\n";
  for (const auto& line : where_block(all)) out += line + "\n";
  return out;
}

}  // namespace assay::render
