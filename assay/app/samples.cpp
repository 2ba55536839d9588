#include "assay/app/samples.hpp"

#include <unistd.h>

#include <cerrno>
#include <cstdlib>
#include <cstring>

#include "assay/codec/json.hpp"
#include "assay/model/error.hpp"

namespace assay::app {

std::string to_samples(const Record& record) {
  std::string lines;
  for (const auto& trial : record.log.trials) {
    if (trial.role != Role::measured || trial.outcome != Outcome::ok) continue;
    const auto& cell = record.design.cells[trial.cell];
    const auto setting = codec::setting_json(cell.setting);
    for (const auto& reading : trial.readings) {
      const auto& metric = record.design.metrics[reading.metric];
      const codec::OrderedJson line = {{"contest", record.design.title},
                                       {"candidate", record.design.candidates[cell.candidate].name},
                                       {"setting", setting},
                                       {"metric", metric.name},
                                       {"unit", metric.unit},
                                       {"round", trial.round.value_or(0)},
                                       {"value", reading.value}};
      lines += codec::text_of(line, -1) + "\n";
    }
  }
  return lines;
}

void write_samples(const Record& record) {
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

}  // namespace assay::app
