#include "assay/import_export/sample_builder.hpp"

#include <algorithm>
#include <array>
#include <charconv>
#include <cmath>
#include <functional>
#include <optional>
#include <utility>

#include "assay/import_export/import_export.hpp"
#include "assay/model/enum_names.hpp"
#include "assay/model/error.hpp"

namespace assay::import_export {
namespace {

/// The number that is the whole of `text`; `too_large` when it is one, but beyond what Number holds.
template <class Number>
std::optional<Number> number_in(std::string_view text, bool& too_large) {
  Number number{};
  const auto* const end = text.data() + text.size();
  const auto [stop, failed] = std::from_chars(text.data(), end, number);
  too_large = stop == end && failed == std::errc::result_out_of_range;
  if (text.empty() || stop != end || failed != std::errc{}) return {};
  return number;
}

constexpr std::array own_columns = {"candidate", "workload", "metric", "value",
                                    "round",     "repeat",   "unit",   "prefer"};

}  // namespace

SampleBuilder::SampleBuilder(const ImportOptions& asked, std::string name)
    : asked_(asked), name_(std::move(name)) {
  record_.design = {.uid = asked.uid,
                    .title = asked.title,
                    .kind = CampaignKind::imported,
                    .started = asked.started,
                    .rules = {.margin = asked.margin}};
  record_.log.state = CampaignState::ended;
  record_.log.sessions.add({});
  for (const auto& factor : asked.factors) record_.design.factors.push_back({.name = factor, .levels = {}});
}

void SampleBuilder::refuse(std::size_t line, std::size_t column, const std::string& problem,
                           const std::string& remedy) const {
  throw Error(problem, name_ + ":" + std::to_string(line) + ", column " + names_.at(column), remedy);
}

void SampleBuilder::set_columns(const std::vector<std::string>& header, const std::string& place) {
  std::vector<std::string> names;
  for (const auto& name : header) names.emplace_back(csv_text(name));
  std::string unknown;
  columns_.clear();
  for (const auto& name : names) {
    const auto own = std::ranges::find(own_columns, name);
    if (own != own_columns.end()) {
      columns_.push_back(static_cast<Column>(own - own_columns.begin()));
      continue;
    }
    columns_.push_back(Column::factor);
    if (std::ranges::count(asked_.factors, name) == 0) unknown += (unknown.empty() ? "" : ", ") + name;
  }
  if (!unknown.empty())
    throw Error("columns that are not known: " + unknown, place,
                "name it as a factor (--factor NAME), or take it out");
  for (const char* needed : {"candidate", "metric", "value"})
    if (std::ranges::count(names, needed) == 0)
      throw Error(std::string("there is no column \"") + needed + "\"", place,
                  "the columns are candidate,workload,metric,value and, if there are, round,repeat,unit,"
                  "prefer and factors");
  for (const auto& factor : asked_.factors)
    if (std::ranges::count(names, factor) == 0)
      throw Error("there is no column \"" + factor + "\" for --factor", place);
  names_ = names;
}

std::size_t SampleBuilder::column_of(Column wanted) const {
  return static_cast<std::size_t>(std::ranges::find(columns_, wanted) - columns_.begin());
}

std::string_view SampleBuilder::field(const std::vector<std::string>& fields, Column wanted) const {
  const auto column = column_of(wanted);
  return column < fields.size() ? csv_text(fields[column]) : std::string_view{};
}

void SampleBuilder::add(const std::vector<std::string>& fields, std::size_t line) {
  for (const auto needed : {Column::candidate, Column::metric})
    if (field(fields, needed).empty())
      refuse(line, column_of(needed), "a row without a " + names_.at(column_of(needed)), "give it one");
  const auto text = field(fields, Column::value);
  bool too_large = false;
  const auto value = number_in<double>(text, too_large);
  if (!value || !std::isfinite(*value))
    refuse(line, column_of(Column::value),
           too_large ? "\"" + std::string(text) + "\" is beyond what a number of double precision can hold"
                     : "\"" + std::string(text) + "\" is not a finite number",
           too_large ? "use another unit" : "write it like 0.412; leave out rows without a value");
  const auto cell = cell_of(fields, line);
  const auto metric = metric_of(fields, line);
  if (!is_valid_value(Scale::ratio, *value)) record_.design.metrics[metric].scale = Scale::difference;
  const auto round = whole_number(fields, Column::round, line);
  const auto repeat = whole_number(fields, Column::repeat, line);
  if (repeat && !round)
    refuse(line, column_of(Column::repeat), "a repeat without its round", "name the round, or no repeat");
  put({.cell = cell, .round = round, .repeat = repeat.value_or(0)}, metric, *value, line);
}

std::optional<int> SampleBuilder::whole_number(const std::vector<std::string>& fields, Column column,
                                               std::size_t line) const {
  const auto text = field(fields, column);
  if (text.empty()) return {};
  bool too_large = false;
  const auto number = number_in<int>(text, too_large);
  const std::string what = column == Column::round ? "round" : "repeat";
  if (!number || *number < 0)
    refuse(line, column_of(column),
           "\"" + std::string(text) + "\" " + (too_large ? "is too large for" : "is not") +
               " the number of a " + what,
           what + "s are whole numbers from 0 to 2147483647");
  return number;
}

CellId SampleBuilder::cell_of(const std::vector<std::string>& fields, std::size_t line) {
  std::string key;
  for (std::size_t i = 0; i < columns_.size(); ++i)
    if (columns_[i] == Column::candidate || columns_[i] == Column::workload || columns_[i] == Column::factor)
      (key += fields[i]) += '\0';
  if (key == key_) return last_cell_;
  const auto [known, fresh] = cells_.try_emplace(key, record_.design.cells.next_id());
  key_ = key;
  last_cell_ = known->second;
  if (!fresh) return last_cell_;
  auto& design = record_.design;
  const std::string candidate(field(fields, Column::candidate));
  std::string workload(field(fields, Column::workload));
  if (workload.empty()) workload = "samples";
  Cell cell;
  const auto its_candidate = design.candidates.find_by_name(candidate);
  cell.candidate = its_candidate ? *its_candidate : design.candidates.add({.name = candidate});
  const auto its_workload = design.workloads.find_by_name(workload);
  cell.workload = its_workload ? *its_workload : design.workloads.add({.name = workload});
  for (std::size_t i = 0; i < columns_.size(); ++i) {
    if (columns_[i] != Column::factor || fields[i].empty()) continue;
    bool too_large = false;
    if (fields[i] == "true" || fields[i] == "false")
      cell.setting.levels[names_[i]] = fields[i] == "true";
    else if (const auto whole = number_in<std::int64_t>(fields[i], too_large))
      cell.setting.levels[names_[i]] = *whole;
    else if (too_large)
      refuse(line, i, fields[i] + " is too large for a whole number", "write it in another unit, or as text");
    else if (const auto number = number_in<double>(fields[i], too_large); number && std::isfinite(*number))
      cell.setting.levels[names_[i]] = *number;
    else if (too_large)
      refuse(line, i, fields[i] + " is beyond what a number of double precision can hold",
             "write it in another unit, or as text");
    else
      cell.setting.levels[names_[i]] = std::string(csv_text(fields[i]));
  }
  // Levels that are written otherwise may be the same: 800 and 0800.
  if (const auto same = design.cells.find([&](const Cell& other) { return other == cell; }))
    known->second = last_cell_ = *same;
  else
    design.cells.add(std::move(cell));
  return last_cell_;
}

MetricId SampleBuilder::metric_of(const std::vector<std::string>& fields, std::size_t line) {
  const auto name = field(fields, Column::metric), unit = field(fields, Column::unit);
  const auto prefer = field(fields, Column::prefer);
  const auto direction = prefer.empty() ? Direction::lower : parse_enum<Direction>(prefer);
  if (!direction)
    refuse(line, column_of(Column::prefer), "prefer is \"" + std::string(prefer) + "\"",
           "write lower, higher or neither");
  auto& metrics = record_.design.metrics;
  const bool same_as_before = metrics.contains(last_metric_) && metrics[last_metric_].name == name;
  const auto known = same_as_before ? std::optional(last_metric_) : metrics.find_by_name(name);
  if (!known)
    return last_metric_ =
               metrics.add({.name = std::string(name), .unit = std::string(unit), .direction = *direction});
  last_metric_ = *known;
  if (metrics[*known].unit != unit || metrics[*known].direction != *direction)
    refuse(line, column_of(Column::metric),
           "metric \"" + std::string(name) + "\" had another unit or direction before",
           "one metric has one of each");
  return *known;
}

std::size_t SampleBuilder::Hash::operator()(const Slot& slot) const {
  const auto place =
      static_cast<std::uint64_t>(slot.cell.value) << 32U | static_cast<std::uint64_t>(slot.round.value_or(0));
  constexpr std::uint64_t spread = 0x9E3779B97F4A7C15U;
  return std::hash<std::uint64_t>{}(place + spread * static_cast<std::uint64_t>(slot.repeat));
}

/// Values of one cell in one round, and of one repeat there, are one trial.
void SampleBuilder::put(const Slot& slot, MetricId metric, double value, std::size_t line) {
  auto& trials = record_.log.trials;
  if (!slot.round) {
    trials.push_back({.cell = slot.cell, .readings = {{metric, value}}});
    return;
  }
  rounds_.insert(*slot.round);
  const auto [place, fresh] = trials_.try_emplace(slot, trials.size());
  if (fresh) trials.push_back({.cell = slot.cell, .round = slot.round, .repeat = slot.repeat});
  auto& readings = trials[place->second].readings;
  if (std::ranges::count(readings, metric, &Reading::metric) > 0)
    refuse(line, column_of(Column::round),
           "a second value of this metric for the same candidate in round " + std::to_string(*slot.round),
           "a round has one value of each, or several that the column repeat numbers from 0");
  readings.push_back({metric, value});
}

void SampleBuilder::choose_baseline() {
  auto& design = record_.design;
  if (design.candidates.size() < 2)
    throw Error("there is nothing to compare: fewer than two candidates", name_);
  const auto base = asked_.baseline.empty() ? std::optional(CandidateId{0})
                                            : design.candidates.find_by_name(asked_.baseline);
  if (!base) {
    std::string known;
    for (const auto& candidate : design.candidates) known += (known.empty() ? "" : ", ") + candidate.name;
    throw Error("\"" + asked_.baseline + "\" is not among the candidates", Error::Field::baseline,
                "known here: " + known);
  }
  for (const auto id : design.candidates.ids())
    if (id != *base) design.candidates[id].baseline = base;
  for (const auto id : design.cells.ids()) {
    const auto& cell = design.cells[id];
    if (cell.candidate == *base) continue;
    const auto partner = design.cells.find([&](const Cell& other) {
      return other.candidate == *base && other.workload == cell.workload && other.setting == cell.setting;
    });
    if (partner) design.comparisons.push_back({*partner, id});
  }
  if (design.comparisons.empty())
    throw Error("no candidate has values beside the baseline's", name_,
                "workloads and factors must be the same");
}

Record SampleBuilder::finish() {
  choose_baseline();
  for (auto& metric : record_.design.metrics) {
    if (asked_.difference) metric.scale = Scale::difference;
    metric.request.watched = metric.direction != Direction::neither;
    constexpr double any = 1e-300;
    if (metric.scale == Scale::difference)
      metric.request.margin = asked_.absolute_margin > 0 ? asked_.absolute_margin : any;
  }
  std::vector<int> numbers(rounds_.begin(), rounds_.end());
  std::ranges::sort(numbers);
  for (const int number : numbers) {
    auto& round = record_.log.rounds.emplace_back();
    round.number = number;
    round.state = RoundState::complete;
  }
  if (std::ranges::any_of(record_.log.trials, [](const Trial& trial) { return trial.repeat > 0; }))
    for (const auto& trial : record_.log.trials)
      if (trial.round) {
        const auto at = std::ranges::lower_bound(numbers, *trial.round) - numbers.begin();
        record_.log.rounds[static_cast<std::size_t>(at)].order.push_back(trial.cell);
      }
  return std::move(record_);
}

}  // namespace assay::import_export
