#include "assay/campaign/samples_in.hpp"

#include <csv.h>

#include <algorithm>
#include <charconv>
#include <cmath>
#include <functional>
#include <map>
#include <nlohmann/json.hpp>
#include <set>

#include "assay/campaign/identity.hpp"
#include "assay/model/error.hpp"

namespace assay::campaign {
namespace {

using Json = nlohmann::json;
using Fields = std::map<std::string, std::string>;

[[noreturn]] void refuse(const std::string& where, const std::string& problem,
                         const std::string& remedy = {}) {
  throw Error(problem, where, remedy);
}

/// `800`, `0.5`, `true` and `false` are what they look like; all else is text.
Level level_of(const std::string& text) {
  if (text == "true" || text == "false") return text == "true";
  const auto* const end = text.data() + text.size();
  std::int64_t whole = 0;
  if (!text.empty() && std::from_chars(text.data(), end, whole).ptr == end) return whole;
  double number = 0;
  if (!text.empty() && std::from_chars(text.data(), end, number).ptr == end && std::isfinite(number))
    return number;
  return text;
}

/// Puts samples together, one after the other.
class Gathering {
 public:
  explicit Gathering(const SamplesAsked& asked) : asked_(asked) {
    record_.info = {.uid = draw_uid(),
                    .title = asked.title,
                    .kind = "import",
                    .state = CampaignState::ended,
                    .started = milliseconds_now(),
                    .margin = asked.margin};
    record_.sittings.emplace_back();
    for (const auto& factor : asked.factors) record_.factors.push_back({.name = factor, .levels = {}});
  }

  void columns(const std::vector<std::string>& names, const std::string& where) const {
    std::string unknown;
    for (const auto& name : names)
      if (!known(name)) unknown += (unknown.empty() ? "" : ", ") + name;
    if (!unknown.empty())
      refuse(where, "columns that are not known: " + unknown,
             "--factor NAME takes one as a factor; the others must go");
    for (const char* needed : {"candidate", "metric", "value"})
      if (std::ranges::count(names, needed) == 0)
        refuse(where, std::string("there is no column \"") + needed + "\"",
               "the columns are candidate,workload,metric,value and, if there are, round,unit,prefer and "
               "factors");
    for (const auto& factor : asked_.factors)
      if (std::ranges::count(names, factor) == 0)
        refuse(where, "there is no column \"" + factor + "\" for --factor");
  }

  void add(const Fields& fields, const std::string& where) {
    const auto get = [&](const std::string& name) {
      const auto found = fields.find(name);
      return found == fields.end() ? std::string{} : found->second;
    };
    for (const char* needed : {"candidate", "metric"})
      if (get(needed).empty()) refuse(where, std::string("a row without a ") + needed);
    const auto text = get("value");
    double value = 0;
    const auto* const end = text.data() + text.size();
    if (text.empty() || std::from_chars(text.data(), end, value).ptr != end || !std::isfinite(value))
      refuse(where, "\"" + text + "\" is not a finite number",
             "write it like 0.412; leave out rows without a value");
    const auto cell = cell_of(fields, get("candidate"), get("workload"));
    const auto metric = metric_of(get("metric"), get("unit"), get("prefer"), where);
    if (!(value > 0)) record_.metrics[metric.place()].scale = Scale::difference;
    std::optional<int> round;
    if (const auto number = get("round"); !number.empty()) {
      int parsed = 0;
      const auto* const number_end = number.data() + number.size();
      if (std::from_chars(number.data(), number_end, parsed).ptr != number_end || parsed < 0)
        refuse(where, "\"" + number + "\" is not the number of a round", "rounds are whole numbers");
      round = parsed;
    }
    put(cell, metric, round, value, where);
  }

  Record finish(const std::string& name) {
    auto& record = record_;
    if (record.candidates.size() < 2) refuse(name, "there is nothing to compare: fewer than two candidates");
    const auto baseline = asked_.baseline.empty()
                              ? record.candidates.begin()
                              : std::ranges::find(record.candidates, asked_.baseline, &Candidate::name);
    if (baseline == record.candidates.end()) {
      std::string known;
      for (const auto& candidate : record.candidates) known += (known.empty() ? "" : ", ") + candidate.name;
      refuse("--baseline", "\"" + asked_.baseline + "\" is not among the candidates", "known here: " + known);
    }
    const CandidateId base{baseline - record.candidates.begin()};
    for (std::size_t i = 0; i < record.candidates.size(); ++i)
      if (CandidateId{static_cast<std::int64_t>(i)} != base) record.candidates[i].against = base;
    for (std::size_t i = 0; i < record.cells.size(); ++i) {
      const auto& cell = record.cells[i];
      if (cell.candidate == base) continue;
      const auto partner = std::ranges::find_if(record.cells, [&](const Cell& other) {
        return other.candidate == base && other.workload == cell.workload && other.setting == cell.setting;
      });
      if (partner != record.cells.end())
        record.contrasts.push_back(
            {CellId{partner - record.cells.begin()}, CellId{static_cast<std::int64_t>(i)}});
    }
    if (record.contrasts.empty())
      refuse(name, "no candidate has values beside the baseline's", "workloads and factors must be the same");
    for (auto& metric : record.metrics) {
      if (asked_.difference) metric.scale = Scale::difference;
      Demand demand{.watched = metric.prefer != Prefer::neither};
      constexpr double any = 1e-300;
      if (metric.scale == Scale::difference)
        demand.margin = asked_.absolute_margin > 0 ? asked_.absolute_margin : any;
      record.demands.push_back(demand);
    }
    for (const int round : rounds_)
      record.rounds.push_back({.number = round, .state = RoundState::whole, .order = {}});
    return std::move(record_);
  }

 private:
  bool known(const std::string& name) const {
    constexpr std::array own = {"candidate", "workload", "metric", "value", "round", "unit", "prefer"};
    return std::ranges::find(own, name) != own.end() || std::ranges::count(asked_.factors, name) > 0;
  }

  CellId cell_of(const Fields& fields, const std::string& candidate, const std::string& workload) {
    const auto place = [](auto& things, const std::string& name, auto&& make) {
      auto found = std::ranges::find(things, name, [](const auto& thing) { return thing.name; });
      if (found == things.end()) found = things.insert(things.end(), make());
      return found - things.begin();
    };
    Cell cell;
    cell.candidate = {place(record_.candidates, candidate, [&] { return Candidate{.name = candidate}; })};
    const auto named = workload.empty() ? std::string("samples") : workload;
    cell.workload = {
        place(record_.workloads, named, [&] { return Workload{.name = named, .run = {}, .doubt = {}}; })};
    for (const auto& factor : asked_.factors)
      if (const auto level = fields.find(factor); level != fields.end() && !level->second.empty())
        cell.setting.levels[factor] = level_of(level->second);
    const auto key = std::tuple(cell.candidate, cell.workload, cell.setting.text());
    const auto [known, fresh] =
        cells_.try_emplace(key, CellId{static_cast<std::int64_t>(record_.cells.size())});
    if (fresh) record_.cells.push_back(std::move(cell));
    return known->second;
  }

  MetricId metric_of(const std::string& name, const std::string& unit, const std::string& prefer,
                     const std::string& where) {
    if (!prefer.empty() && prefer != "lower" && prefer != "higher" && prefer != "neither")
      refuse(where, "prefer is \"" + prefer + "\"", "write lower, higher or neither");
    const auto known = std::ranges::find(record_.metrics, name, &Metric::name);
    const auto direction = prefer == "higher"    ? Prefer::higher
                           : prefer == "neither" ? Prefer::neither
                                                 : Prefer::lower;
    if (known != record_.metrics.end()) {
      if (known->unit != unit || known->prefer != direction)
        refuse(where, "metric \"" + name + "\" had another unit or direction before",
               "one metric has one of each");
      return {known - record_.metrics.begin()};
    }
    record_.metrics.push_back({.name = name, .unit = unit, .prefer = direction});
    return {static_cast<std::int64_t>(record_.metrics.size()) - 1};
  }

  /// Values of one cell in one round are one trial.
  void put(CellId cell, MetricId metric, std::optional<int> round, double value, const std::string& where) {
    if (round) {
      rounds_.insert(*round);
      const auto [place, fresh] = trials_.try_emplace({cell, *round}, record_.trials.size());
      if (fresh) record_.trials.push_back({.cell = cell, .round = round});
      auto& trial = record_.trials[place->second];
      if (std::ranges::count(trial.readings, metric, &Reading::metric) > 0)
        refuse(where,
               "a second value of this metric for the same candidate in round " + std::to_string(*round),
               "each round has one value of each");
      trial.readings.push_back({metric, value});
      return;
    }
    record_.trials.push_back({.cell = cell});
    record_.trials.back().readings.push_back({metric, value});
  }

  const SamplesAsked& asked_;
  Record record_;
  std::map<std::tuple<CandidateId, WorkloadId, std::string>, CellId> cells_;
  std::map<std::pair<CellId, int>, std::size_t> trials_;
  std::set<int> rounds_;
};

/// Rows of fields, as libcsv hands them over.
struct Rows {
  std::vector<std::vector<std::string>> all = {{}};
};

std::vector<std::vector<std::string>> rows_of(const std::string& text, const std::string& name) {
  Rows rows;
  csv_parser parser{};
  if (csv_init(&parser, CSV_STRICT | CSV_STRICT_FINI) != 0) refuse(name, "there is no memory to read it");
  const auto field = [](void* bytes, std::size_t size, void* into) {
    static_cast<Rows*>(into)->all.back().emplace_back(static_cast<const char*>(bytes), size);
  };
  const auto row = [](int, void* into) { static_cast<Rows*>(into)->all.emplace_back(); };
  const bool read = csv_parse(&parser, text.data(), text.size(), field, row, &rows) == text.size() &&
                    csv_fini(&parser, field, row, &rows) == 0;
  csv_free(&parser);
  if (!read)
    refuse(name + ":" + std::to_string(rows.all.size()), "this is not CSV: a quote stands where none can",
           "quotes enclose a whole field, and are doubled within it");
  rows.all.pop_back();
  return rows.all;
}

}  // namespace

Record record_of_csv(const std::string& text, const std::string& name, const SamplesAsked& asked) {
  const auto rows = rows_of(text, name);
  if (rows.empty()) refuse(name, "there is nothing in it", "the first line names the columns");
  Gathering gathering(asked);
  const auto& header = rows.front();
  gathering.columns(header, name + ":1");
  for (std::size_t i = 1; i < rows.size(); ++i) {
    const auto where = name + ":" + std::to_string(i + 1);
    if (rows[i].size() != header.size())
      refuse(where,
             std::to_string(rows[i].size()) + " fields, and the header has " + std::to_string(header.size()));
    Fields fields;
    for (std::size_t c = 0; c < header.size(); ++c) fields[header[c]] = rows[i][c];
    gathering.add(fields, where);
  }
  return gathering.finish(name);
}

Record record_of_json(const std::string& text, const std::string& name, const SamplesAsked& asked) {
  const auto document = Json::parse(text, nullptr, false);
  if (document.is_discarded()) refuse(name, "this is not JSON");
  if (document.is_object() && document.value("format", "") == "assay record 1")
    return record_of_export(text, name);
  if (!document.is_array())
    refuse(name, "this is no list of samples", "write [{\"candidate\": …, \"metric\": …, \"value\": …}, …]");
  Gathering gathering(asked);
  std::size_t number = 0;
  for (const auto& entry : document) {
    const auto where = name + ", entry " + std::to_string(++number);
    if (!entry.is_object()) refuse(where, "this is no object");
    Fields fields;
    std::vector<std::string> names;
    for (const auto& [key, value] : entry.items()) {
      names.push_back(key);
      fields[key] = value.is_string() ? value.get<std::string>()
                    : value.is_null() ? std::string{}
                                      : value.dump();
    }
    gathering.columns(names, where);
    gathering.add(fields, where);
  }
  return gathering.finish(name);
}

}  // namespace assay::campaign
