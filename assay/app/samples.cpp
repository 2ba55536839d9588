#include "assay/app/samples.hpp"

#include <fmt/format.h>
#include <unistd.h>

#include <cerrno>
#include <cmath>
#include <cstdlib>
#include <cstring>
#include <utility>

#include "assay/codec/json.hpp"
#include "assay/engine/open_campaign.hpp"
#include "assay/import_export/sample_builder.hpp"
#include "assay/judge/judge.hpp"
#include "assay/model/error.hpp"
#include "assay/model/log.hpp"

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

namespace {

import_export::ImportOptions identified(import_export::ImportOptions options) {
  if (options.uid.empty()) options.uid = engine::make_uid();
  if (options.started == 0) options.started = unix_milliseconds();
  return options;
}

render::Results compare(std::span<const double> baseline, std::span<const double> candidate,
                        const SampleOptions& options, bool paired) {
  const auto asked = identified({.baseline = options.baseline, .margin = options.margin});
  import_export::SampleBuilder builder(asked, "samples");
  builder.set_columns({"candidate", "metric", "value", "round", "unit", "prefer"}, "samples");
  std::size_t line = 0;
  const auto add = [&](const std::string& name, std::span<const double> values) {
    if (values.empty()) throw DomainError("there are no values of " + name);
    for (std::size_t i = 0; i < values.size(); ++i) {
      if (!std::isfinite(values[i])) throw DomainError("a value of " + name + " is not finite", i, values[i]);
      builder.add({name, options.metric, fmt::format("{}", values[i]), paired ? std::to_string(i + 1) : "",
                   options.unit, options.higher_is_better ? "higher" : "lower"},
                  ++line);
    }
  };
  add(options.baseline, baseline);
  add(options.candidate, candidate);
  return compare_samples(builder.finish());
}

}  // namespace

render::Results compare_paired(std::span<const double> baseline, std::span<const double> candidate,
                               const SampleOptions& options) {
  if (baseline.size() != candidate.size())
    throw DomainError(fmt::format("pairs need as many values of each: there are {} and {}", baseline.size(),
                                  candidate.size()));
  return compare(baseline, candidate, options, true);
}

render::Results compare_unpaired(std::span<const double> baseline, std::span<const double> candidate,
                                 const SampleOptions& options) {
  return compare(baseline, candidate, options, false);
}

render::Results compare_samples(Record record) {
  auto findings = judge::judge_record(record);
  return {std::move(record), std::move(findings)};
}

Record read_samples(const std::string& path, const import_export::ImportOptions& options) {
  return import_export::read_file(path, identified(options));
}

}  // namespace assay::app
