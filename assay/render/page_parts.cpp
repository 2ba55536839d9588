#include "assay/render/page_parts.hpp"

#include <fmt/format.h>

#include <map>

#include "assay/render/overview.hpp"
#include "assay/render/prose.hpp"
#include "assay/render/table.hpp"
#include "assay/render/units.hpp"

namespace assay::render {

using kainjow::mustache::data;

void put_sentences(const Findings& all, data& page) {
  const auto list_of = [](const std::vector<Sentence>& sentences) {
    data list(data::type::list);
    for (const auto& sentence : sentences) {
      data entry;
      entry["candidate"] = sentence.candidate;
      entry["text"] = sentence.text;
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
  for (std::size_t m = 0; m < all.metrics.size(); ++m) {
    if (!all.demands[m].watched) continue;
    const MetricId id{static_cast<std::int64_t>(m)};
    const auto overview = overview_of(all, id);
    if (overview.columns.size() < 2 || overview.candidates.size() < 3) continue;
    const auto& metric = all.metrics[m];
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
      row["candidate"] = all.candidates[overview.candidates[r].place()].name;
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
  std::map<std::string, std::pair<std::string, int>> grouped;  // by candidate, standing and reason
  for (const auto& cell : all.cells) {
    if (cell.standing == Standing::sound || all.candidate(cell).twin_of) continue;
    auto& [who, count] = grouped[all.candidate(cell).name + to_string(cell.standing) + cell.detail];
    if (count++ == 0)
      who = all.candidate(cell).name + "\n" + cell_text(all, cell) + "\n" + to_string(cell.standing) + ": " +
            cell.detail;
  }
  for (const auto& [key, entry] : grouped) {
    const auto first = entry.first.find('\n'), second = entry.first.find('\n', first + 1);
    const auto where = entry.first.substr(first + 1, second - first - 1);
    data item;
    item["who"] = entry.first.substr(0, first) + (where.empty() ? "" : " on " + where) +
                  (entry.second > 1 ? fmt::format(" and {} more", entry.second - 1) : "");
    item["what"] = entry.first.substr(second + 1);
    list << item;
  }
  page["has_standings"] = !grouped.empty();
  page["standings"] = data(list);
}

void put_notes(const Findings& all, data& page) {
  data list(data::type::list);
  for (const auto& note : all.trust) {
    data entry;
    entry["about"] = note.about;
    entry["text"] = note.text;
    entry["level"] = std::string(note.level == TrustNote::Level::warning ? "warning" : "note");
    list << entry;
  }
  page["has_notes"] = !all.trust.empty();
  page["notes"] = data(list);
}

void put_provenance(const Findings& all, const Record& record, data& page) {
  data candidates(data::type::list);
  for (const auto& candidate : all.candidates) {
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
  add("seed of the order", std::to_string(all.campaign.seed));
  if (!record.sittings.empty())
    for (const auto& fact : record.sittings.back().facts)
      if (fact.name != "fingerprint") add(fact.name, fact.value);
  page["facts"] = data(facts);
  if (!all.campaign.repeat.empty()) page["repeat"] = all.campaign.repeat;
}

}  // namespace assay::render
