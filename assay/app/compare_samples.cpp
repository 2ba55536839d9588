#include "assay/app/compare_samples.hpp"

#include <fmt/format.h>

#include <cmath>
#include <utility>

#include "assay/engine/session.hpp"
#include "assay/import_export/sample_builder.hpp"
#include "assay/judge/judge.hpp"
#include "assay/model/clock.hpp"
#include "assay/model/error.hpp"

namespace assay::app {
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
