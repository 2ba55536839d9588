#include "assay/render/page_parts.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <vector>

#include "assay/model/names.hpp"
#include "assay/render/table.hpp"
#include "assay/report/notes.hpp"
#include "assay/report/overview.hpp"
#include "assay/report/sentences.hpp"
#include "assay/report/units.hpp"

namespace assay::inline v1::render {

using namespace report;  // its words

using kainjow::mustache::data;

void put_sentences(const Findings& all, data& page) {
  const auto list_of = [](const std::vector<Sentence>& sentences) {
    data list(data::type::list);
    for (const auto& sentence : sentences) {
      data entry;
      entry["candidate"] = sentence.candidate;
      std::string text;
      for (const auto& line : sentence.lines) text += (text.empty() ? "" : "\n") + line;
      entry["text"] = text;
      entry["verdict"] = to_string(sentence.verdict);
      list << entry;
    }
    return list;
  };
  const auto said = say(all);
  if (!said.summary.empty()) page["summary"] = said.summary;
  page["sentences"] = list_of(said.first);
  page["has_rest"] = !said.rest.empty();
  page["rest_count"] = std::to_string(said.rest.size());
  page["rest"] = list_of(said.rest);
}

void put_overviews(const Findings& all, data& page) {
  data list(data::type::list);
  for (const auto id : all.design.metrics.ids()) {
    if (!all.design.metrics[id].demand.watched) continue;
    const auto overview = overview_of(all, id);
    if (overview.columns.size() < 2 || overview.candidates.size() < 3) continue;
    const auto& metric = all.design.metrics[id];
    data columns(data::type::list), rows(data::type::list);
    for (const auto& column : overview.columns) columns << data("name", column);
    for (std::size_t r = 0; r < overview.rows.size(); ++r) {
      data cells(data::type::list);
      for (const auto& entry : overview.rows[r]) {
        data cell;
        cell["class"] = entry.finding != nullptr ? to_string(entry.finding->verdict) : std::string("none");
        cell["text"] = entry_text(all, id, entry);
        cells << cell;
      }
      data row;
      row["candidate"] = all.design.candidates[overview.candidates[r]].name;
      row["cells"] = data(cells);
      rows << row;
    }
    data table;
    table["metric"] = metric.name;
    table["columns"] = data(columns);
    table["rows"] = data(rows);
    list << table;
  }
  page["overviews"] = data(list);
}

void put_standings(const Findings& all, data& page) {
  data list(data::type::list);
  struct Left {
    std::string candidate, where;
    CellState state;
    std::size_t more = 0;
  };
  std::vector<Left> grouped;  // by candidate and reason
  for (const auto id : all.design.cells.ids()) {
    const auto& state = all.states[id];
    if (state.is_sound() || all.design.is_twin(id)) continue;
    const auto& candidate = all.design.candidate_of(id).name;
    const auto known = std::ranges::find_if(
        grouped, [&](const Left& left) { return left.candidate == candidate && left.state == state; });
    if (known == grouped.end())
      grouped.push_back({candidate, cell_text(all, all.design.cells[id]), state});
    else
      ++known->more;
  }
  std::ranges::stable_sort(grouped, {}, &Left::candidate);
  for (const auto& left : grouped) {
    data item;
    item["who"] = left.candidate + (left.where.empty() ? "" : " on " + left.where) +
                  (left.more > 0 ? fmt::format(" and {} more", left.more) : "");
    item["what"] = to_string(left.state.standing) + ": " + left.state.detail;
    list << item;
  }
  page["has_standings"] = !grouped.empty();
  page["standings"] = data(list);
}

void put_notes(const Findings& all, data& page) {
  data list(data::type::list);
  for (const auto& note : all.trust) {
    data entry;
    const auto [about, text] = worded(all.design, note);
    entry["about"] = about;
    entry["text"] = text;
    entry["level"] = to_string(note.level);
    list << entry;
  }
  page["has_notes"] = !all.trust.empty();
  page["notes"] = data(list);
}

void put_provenance(const Findings& all, const Record& record, data& page) {
  data candidates(data::type::list);
  for (const auto& candidate : all.design.candidates) {
    if (candidate.twin_of) continue;
    data entry;
    entry["name"] = candidate.name;
    entry["identity"] = candidate.from.identity;
    entry["commit"] = candidate.from.commit.substr(0, 10);
    entry["compiler"] = candidate.from.compiler;
    entry["flags"] = candidate.from.flags;
    candidates << entry;
  }
  page["candidates"] = data(candidates);
  data facts(data::type::list);
  const auto add = [&](const std::string& name, const std::string& value) {
    data entry;
    entry["name"] = name;
    entry["value"] = value;
    facts << entry;
  };
  add("rounds", std::to_string(all.rounds));
  add("seed of the order", std::to_string(all.design.rules.seed));
  if (!record.log.sittings.empty())
    for (const auto& fact : record.log.sittings.back().facts)
      if (fact.name != "fingerprint") add(fact.name, fact.value);
  page["facts"] = data(facts);
  if (!all.design.repeat.empty()) page["repeat"] = all.design.repeat;
}

}  // namespace assay::inline v1::render
