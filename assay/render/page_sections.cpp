#include "assay/render/page_sections.hpp"

#include <limits>
#include <string>
#include <vector>

#include "assay/model/enum_names.hpp"

namespace assay::render {

using namespace report;  // its words

using kainjow::mustache::data;

namespace {

/// A number and its per cent sign stay on one line.
std::string unbroken(std::string text) {
  const std::string no_break = "\u00a0%";
  for (auto at = text.find(" %"); at != std::string::npos; at = text.find(" %", at))
    text.replace(at, 2, no_break);
  return text;
}

data list_of_lines(const std::vector<std::string>& lines) {
  data list(data::type::list);
  for (const auto& line : lines) {
    data entry;
    entry["text"] = unbroken(line);
    list << entry;
  }
  return list;
}

data list_of(const std::vector<Sentence>& sentences) {
  data list(data::type::list);
  for (const auto& sentence : sentences) {
    data entry;
    entry["candidate"] = sentence.candidate;
    std::string text;
    for (const auto& line : sentence.lines) text += (text.empty() ? "" : "\n") + line;
    entry["text"] = unbroken(text);
    entry["verdict"] = to_string(sentence.verdict);
    list << entry;
  }
  return list;
}

}  // namespace

void put_sentences(const Report& report, data& page) {
  const auto& candidates = report.candidates;
  if (!candidates.summary.empty()) page["summary"] = candidates.summary;
  page["sentences"] = list_of(candidates.first);
  page["has_rest"] = !candidates.rest.empty();
  page["rest_count"] = std::to_string(candidates.rest.size());
  page["rest"] = list_of(candidates.rest);
}

void put_views(const Report& report, data& page) {
  data list(data::type::list);
  for (const auto& view : report.views) {
    data columns(data::type::list), rows(data::type::list);
    for (const auto& column : view.overview.columns) columns << data("name", column);
    for (std::size_t r = 0; r < view.overview.rows.size(); ++r) {
      data cells(data::type::list);
      for (const auto& entry : view.overview.rows[r]) {
        data cell;
        cell["class"] = entry.finding != nullptr ? to_string(entry.finding->verdict) : std::string("none");
        cell["text"] = entry.text;
        cells << cell;
      }
      data row;
      row["candidate"] = view.overview.names[r];
      row["cells"] = data(cells);
      rows << row;
    }
    data table;
    table["metric"] = view.metric_name;
    table["columns"] = data(columns);
    table["rows"] = data(rows);
    list << table;
  }
  page["overviews"] = data(list);
}

void put_aggregates(const Report& report, data& page) {
  std::vector<std::string> together;
  for (const auto& lines :
       {report.confirmations, limit_each(report.aggregates, std::numeric_limits<std::size_t>::max()),
        report.parts, report.trends, report.latencies, report.requirements, report.twins})
    together.insert(together.end(), lines.begin(), lines.end());
  page["together"] = list_of_lines(together);
  page["has_together"] = !together.empty();
}

void put_profiles(const Report& report, data& page) {
  data list(data::type::list);
  for (const auto& profile : report.profiles) {
    data candidates(data::type::list), lines(data::type::list);
    for (const auto& name : profile.candidates) candidates << data("name", name);
    for (const auto& line : profile.lines) {
      data entries(data::type::list);
      for (const auto& of : line.entries) {
        data entry;
        entry["value"] = of.typical;
        entry["change"] = unbroken(of.change);
        entry["sign"] = of.sign;
        entries << entry;
      }
      data row;
      row["metric"] = line.metric;
      row["typical"] = line.baseline;
      row["entries"] = data(entries);
      lines << row;
    }
    data table;
    table["heading"] = profile.where.empty() ? "Profile" : "Profile, " + profile.where;
    table["baseline"] = profile.baseline;
    table["candidates"] = data(candidates);
    table["lines"] = data(lines);
    table["open"] = report.profiles.size() == 1;
    list << table;
  }
  page["has_profiles"] = !report.profiles.empty();
  page["profiles"] = data(list);
}

void put_left_out(const Report& report, data& page) {
  data list(data::type::list);
  for (const auto& [who, what] : report.left_out) {
    data item;
    item["who"] = who;
    item["what"] = what;
    list << item;
  }
  page["has_left_out"] = !report.left_out.empty();
  page["left_out"] = data(list);
}

void put_notes(const Report& report, data& page) {
  data list(data::type::list);
  for (const auto& note : report.notes) {
    data entry;
    entry["about"] = note.about;
    entry["text"] = note.text;
    entry["level"] = to_string(note.level);
    list << entry;
  }
  page["has_notes"] = !report.notes.empty();
  page["notes_count"] = std::to_string(report.notes.size());
  page["notes"] = data(list);
}

void put_provenance(const Report& report, data& page) {
  data programs(data::type::list);
  for (const auto& program : report.programs) {
    data entry;
    entry["name"] = program.name;
    entry["identity"] = program.identity;
    entry["commit"] = program.commit;
    entry["compiler"] = program.compiler;
    entry["flags"] = program.flags;
    programs << entry;
  }
  page["candidates"] = data(programs);
  data facts(data::type::list);
  for (const auto& [name, value] : report.facts) {
    data entry;
    entry["name"] = name;
    entry["value"] = value;
    facts << entry;
  }
  page["facts"] = data(facts);
  if (!report.repeat.empty()) page["repeat"] = report.repeat;
}

}  // namespace assay::render

extern "C" {
extern const char assay_page_template[], assay_page_style[], assay_page_script[], assay_page_libraries[],
    assay_page_history[], assay_page_end[];
}

namespace assay::render {

std::string findings_form() { return {assay_page_template, assay_page_style}; }
std::string history_form() { return {assay_page_history, assay_page_end}; }
std::string page_style() { return {assay_page_style, assay_page_script}; }
std::string page_script() { return {assay_page_script, assay_page_libraries}; }
std::string page_libraries() { return {assay_page_libraries, assay_page_history}; }

std::string in_script(const ChartJson& json) {
  const auto text = json.dump(-1, ' ', false, ChartJson::error_handler_t::replace);
  std::string safe;
  safe.reserve(text.size());
  for (const char c : text) {
    if (c == '<')
      safe += "\\u003c";
    else
      safe += c;
  }
  return safe;
}

}  // namespace assay::render
