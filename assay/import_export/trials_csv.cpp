#include <fmt/format.h>

#include <algorithm>
#include <set>
#include <string>

#include "assay/import_export/import_export.hpp"
#include "assay/model/enum_names.hpp"
#include "assay/model/observations.hpp"

namespace assay::import_export {

namespace {

bool begins_like_a_formula(std::string_view text) {
  return !text.empty() && std::string_view("=+-@\t\r\n'").find(text.front()) != std::string_view::npos;
}

}  // namespace

std::string csv_field(const std::string& text) {
  const auto safe = begins_like_a_formula(text) ? "'" + text : text;
  if (safe.find_first_of(",\"\r\n") == std::string::npos) return safe;
  std::string quoted = "\"";
  for (const char c : safe) quoted += c == '"' ? std::string("\"\"") : std::string(1, c);
  return quoted + "\"";
}

std::string_view csv_text(std::string_view field) {
  return field.starts_with('\'') && begins_like_a_formula(field.substr(1)) ? field.substr(1) : field;
}

namespace {

/// Numbers stay numbers, below zero too.
std::string level_field(const Level& level) {
  const auto text = to_string(level);
  return std::holds_alternative<std::string>(level) ? csv_field(text) : text;
}

}  // namespace

void write_csv(const Record& record, std::ostream& out) {
  const auto& design = record.design;
  std::set<std::string> factors;
  for (const auto& cell : design.cells)
    for (const auto& [name, level] : cell.setting.levels) factors.insert(name);
  out << "candidate,workload";
  for (const auto& name : factors) out << "," << csv_field(name);
  const bool repeats = std::ranges::any_of(
      record.log.trials, [](const Trial& t) { return t.repeat > 0 && t.role == Role::measured; });
  out << ",metric,value,round" << (repeats ? ",repeat" : "") << ",unit,prefer\n";
  IdTable<CellId, std::string> heads;
  for (const auto& cell : design.cells) {
    std::string head = csv_field(design.candidates[cell.candidate].name) + "," +
                       csv_field(design.workloads[cell.workload].name);
    for (const auto& name : factors) {
      const auto level = cell.setting.levels.find(name);
      head += "," + (level == cell.setting.levels.end() ? std::string{} : level_field(level->second));
    }
    heads.add(std::move(head));
  }
  const Observations evidence(design, record.log);
  using From = Observations::Source;
  for (const auto id : design.metrics.ids()) {
    const auto& metric = design.metrics[id];
    if (metric.subject == MetricSubject::machine) continue;
    const auto tail = "," + csv_field(metric.unit) + "," + to_string(metric.direction) + "\n";
    for (const auto from : {From::judged, From::unpaired}) {
      const auto& values = evidence.values(id, from);
      for (std::size_t i = 0; i < values.size(); ++i)
        if (!design.is_twin(values.cell[i])) {
          const auto of_round = [&](int number) {
            return from == From::judged ? "," + std::to_string(number) : ",";
          };
          out << heads[values.cell[i]] << fmt::format(",{},{}", csv_field(metric.name), values.value[i])
              << of_round(values.round[i]) << (repeats ? of_round(values.repeat[i]) : "") << tail;
        }
    }
  }
}

}  // namespace assay::import_export
