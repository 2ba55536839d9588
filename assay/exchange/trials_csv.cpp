#include "assay/exchange/trials_csv.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <set>
#include <string>

#include "assay/model/evidence.hpp"
#include "assay/model/names.hpp"

namespace assay::inline v1::exchange {
namespace {

std::string field(const std::string& text) {
  if (text.find_first_of(",\"\r\n") == std::string::npos) return text;
  std::string quoted = "\"";
  for (const char c : text) quoted += c == '"' ? std::string("\"\"") : std::string(1, c);
  return quoted + "\"";
}

}  // namespace

void write_csv(const Record& record, std::ostream& out) {
  const auto& design = record.design;
  std::set<std::string> factors;
  for (const auto& cell : design.cells)
    for (const auto& [name, level] : cell.setting.levels) factors.insert(name);
  out << "candidate,workload";
  for (const auto& name : factors) out << "," << field(name);
  const bool repeats = std::ranges::any_of(record.log.trials, [](const Trial& t) { return t.repeat > 0; });
  out << ",metric,value,round" << (repeats ? ",repeat" : "") << ",unit,prefer\n";
  Table<CellId, std::string> heads;
  for (const auto& cell : design.cells) {
    std::string head =
        field(design.candidates[cell.candidate].name) + "," + field(design.workloads[cell.workload].name);
    for (const auto& name : factors) {
      const auto level = cell.setting.levels.find(name);
      head += "," + (level == cell.setting.levels.end() ? std::string{} : field(to_string(level->second)));
    }
    heads.add(std::move(head));
  }
  const Evidence evidence(design, record.log);
  using From = Evidence::From;
  for (const auto id : design.metrics.ids()) {
    const auto& metric = design.metrics[id];
    if (metric.about == About::machine) continue;
    const auto tail = "," + field(metric.unit) + "," + to_string(metric.prefer) + "\n";
    for (const auto from : {From::judged, From::unpaired}) {
      const auto& values = evidence.values(id, from);
      for (std::size_t i = 0; i < values.size(); ++i)
        if (!design.is_twin(values.cell[i])) {
          const auto of_round = [&](int number) {
            return from == From::judged ? "," + std::to_string(number) : ",";
          };
          out << heads[values.cell[i]] << fmt::format(",{},{}", field(metric.name), values.value[i])
              << of_round(values.round[i]) << (repeats ? of_round(values.repeat[i]) : "") << tail;
        }
    }
  }
}

}  // namespace assay::inline v1::exchange
