#include "assay/front/samples.hpp"

#include <unistd.h>

#include <cerrno>
#include <cstdlib>
#include <cstring>
#include <nlohmann/json.hpp>

#include "assay/model/error.hpp"

namespace assay::front {

std::string to_samples(const Record& record) {
  using Json = nlohmann::ordered_json;
  std::string lines;
  for (const auto& trial : record.trials) {
    if (trial.role != Role::counted || trial.outcome != Outcome::ok) continue;
    const auto& cell = record.cells[trial.cell.place()];
    Json setting = Json::object();
    for (const auto& [name, level] : cell.setting.levels)
      std::visit([&, &key = name](const auto& value) { setting[key] = value; }, level);
    for (const auto& reading : trial.readings) {
      const auto& metric = record.metrics[reading.metric.place()];
      const Json line = {
          {"contest", record.info.title}, {"candidate", record.candidates[cell.candidate.place()].name},
          {"setting", setting},           {"metric", metric.name},
          {"unit", metric.unit},          {"round", trial.round.value_or(0)},
          {"value", reading.value}};
      lines += line.dump(-1, ' ', false, Json::error_handler_t::replace) + "\n";
    }
  }
  return lines;
}

void hand_over_samples(const Record& record) {
  const char* named = std::getenv("ASSAY_SAMPLES");
  if (named == nullptr || *named == '\0') return;
  char* end = nullptr;
  const long descriptor = std::strtol(named, &end, 10);
  const auto lines = to_samples(record);
  std::size_t written = 0;
  while (written < lines.size()) {
    const auto put = *end == '\0'
                         ? write(static_cast<int>(descriptor), lines.data() + written, lines.size() - written)
                         : -1;
    if (put < 0 && errno == EINTR) continue;
    if (put <= 0)
      throw Error(std::string("the samples can't be handed over: ") + std::strerror(errno),
                  "ASSAY_SAMPLES=" + std::string(named), "it must be the number of an open descriptor");
    written += static_cast<std::size_t>(put);
  }
}

}  // namespace assay::front
