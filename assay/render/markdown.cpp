#include <fmt/format.h>
#include <re2/re2.h>

#include <map>
#include <string_view>
#include <utility>
#include <vector>

#include "assay/model/redact.hpp"
#include "assay/model/text.hpp"
#include "assay/render/documents.hpp"
#include "assay/report/report.hpp"

namespace assay::render {

using namespace report;  // its words
namespace {

/// Text as Markdown that shows what would be an address, a person or an issue, and links to none of them:
/// sites look for those in the text that is shown, where a backslash does not count.
std::string unlinked(std::string markdown) {
  static const RE2 starts(R"((?i)(\\@|\\#|\bGH-|://|\bwww\.|\bmailto:)(\w))");
  RE2::GlobalReplace(&markdown, starts, R"(\1<!-- -->\2)");
  return markdown;
}

/// Markup in a text shown as it is; one line.
std::string plain(const std::string& text) {
  std::string out;
  for (const char c : printable(text)) {
    if (c == '\n') {
      out += "<br>";
    } else if (c == '<' || c == '>' || c == '&') {
      out += c == '<' ? "&lt;" : c == '>' ? "&gt;" : "&amp;";
    } else {
      if (std::string_view("\\`*_{}[]#|~!@").find(c) != std::string_view::npos) out += '\\';
      out += c;
    }
  }
  return unlinked(std::move(out));
}

/// A line for each finding, in the order of the findings.
std::vector<std::string> table_lines(const Report& report) {
  std::map<const Finding*, std::string> lines;
  for (const auto& block : report.blocks)
    for (const auto& setting : block.settings)
      for (const auto& row : setting.rows)
        if (row.finding != nullptr)
          lines[row.finding] = fmt::format("| {} | {} | {} | {} | {} | {} ({}) | {} |\n",
                                           plain(row.candidate), plain(row.where), plain(block.metric_name),
                                           plain(row.baseline_typical), plain(row.typical), plain(row.change),
                                           plain(row.interval), plain(row.sign + " " + row.verdict));
  std::vector<std::string> all;
  for (auto& [finding, line] : lines) all.push_back(std::move(line));
  return all;
}

std::string table(const std::vector<std::string>& lines) {
  if (lines.empty()) return {};
  std::string out =
      "| candidate | where | metric | baseline | here | change | verdict "
      "|\n|---|---|---|--:|--:|--:|---|\n";
  for (const auto& line : lines) out += line;
  return out;
}

/// A text as it is, in a fence longer than any within it.
std::string fenced(const std::string& text) {
  std::string fence = "```";
  while (text.find(fence) != std::string::npos) fence += '`';
  return fence + "\n" + printable(text) + fence + "\n";
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

/// What stands below the lines of a text's blocks: how values spread, ceilings, what would settle them.
std::vector<std::string> besides(const Report& report) {
  std::vector<std::string> lines;
  for (const auto& block : report.blocks) {
    for (const auto& setting : block.settings)
      for (const auto& row : setting.rows)
        for (const auto& [what, text] : {std::pair{"", &row.machines},
                                         {"", &row.runs},
                                         {"within a trial: ", &row.within},
                                         {"", &row.limit},
                                         {"moved too: ", &row.related},
                                         {"", &row.rounds_needed}})
          if (!text->empty())
            lines.push_back(row.candidate + (row.where.empty() ? "" : " on " + row.where) + ", " +
                            block.metric_name + ": " + what + *text);
    if (!block.advice.empty()) lines.push_back(block.metric_name + ": " + block.advice);
  }
  return lines;
}

/// All metrics, a table for each place; empty where there are many places.
std::string profile_tables(const std::vector<Profile>& profiles) {
  constexpr std::size_t few = 6;
  std::string out;
  if (profiles.size() > few) return out;
  for (const auto& profile : profiles) {
    if (!profile.where.empty()) out += "**" + plain(profile.where) + "**\n\n";
    std::string head = "| metric | " + plain(profile.baseline) + " |", rule = "|---|--:|";
    for (const auto& candidate : profile.candidates) {
      head += " " + plain(candidate) + " | change |";
      rule += "--:|---|";
    }
    out += head + "\n" + rule + "\n";
    for (const auto& line : profile.lines) {
      out += "| " + plain(line.metric) + " | " + plain(line.baseline) + " |";
      for (const auto& entry : line.entries)
        out += " " + plain(entry.typical) + " | " + plain(entry.change + " " + entry.sign) + " |";
      out += "\n";
    }
    out += "\n";
  }
  return out;
}

/// Several texts as one, each on a line of its own.
std::string plain(const std::vector<std::string>& lines) {
  std::string out;
  for (const auto& line : lines) out += (out.empty() ? "" : "<br>") + plain(line);
  return out;
}

}  // namespace

std::string to_markdown(const Findings& findings, const GateResult* gate) {
  const auto all = redacted(findings);
  const auto report = make_report(all);
  std::string out = "### " + plain(report.title) + "\n\n";
  if (gate != nullptr) out += "**" + plain(headline(*gate)) + "**\n\n";
  if (!report.provisional.empty()) out += "**" + plain(report.provisional) + "**\n\n";
  for (const auto* sentences : {&report.candidates.first, &report.candidates.rest})
    for (const auto& sentence : *sentences)
      out += "- **" + plain(sentence.candidate) + "**: " + plain(sentence.lines) + "\n";
  if (!report.ways.empty()) out += "\n" + plain(report.ways) + "\n";
  out += "\n";
  const auto rows = table_lines(report);
  constexpr std::size_t few = 10;
  out += rows.size() <= few ? table(rows) + "\n"
                            : folded(fmt::format("{} comparisons", rows.size()), table(rows));
  if (!all.where.empty()) {
    std::string block;
    for (const auto& line : where_block(all)) block += line + "\n";
    out += fenced(block) + "\n";
  }
  out += folded("more on each comparison", list(besides(report)));
  out += folded("all metrics", profile_tables(report.profiles));
  if (gate != nullptr) out += folded("the gate's reasons", list(reasons_of(*gate, all.design, true)));
  constexpr std::size_t of_each = 20;
  std::vector<std::string> over_all;
  for (const auto& lines : {limit_each(report.aggregates, of_each), report.trends, report.latencies,
                            report.requirements, report.twins})
    over_all.insert(over_all.end(), lines.begin(), lines.end());
  out += folded("over all findings", list(over_all));
  std::vector<std::string> notes;
  for (const auto& note : report.notes) notes.push_back(note.about + ": " + note.text);
  out += folded(fmt::format("{} notes on how far to trust this", notes.size()), list(notes));
  return out;
}

}  // namespace assay::render
