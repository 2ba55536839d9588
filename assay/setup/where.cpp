#include "assay/setup/where.hpp"

#include <unistd.h>

#include <map>
#include <utility>

#include "assay/judge/where.hpp"
#include "assay/measure/process.hpp"
#include "assay/model/text.hpp"
#include "assay/places/names.hpp"

namespace assay::setup {

namespace {

/// What was sampled of a trial.
struct Sampled {
  double cpu = 0;
  measure::CodeSamples code;
};

using Trials = std::map<CellId, std::map<int, Sampled>>;  ///< by round

judge::SampledTrial named(const Sampled& trial, places::Names& names) {
  judge::SampledTrial all{.functions = {}, .cpu = trial.cpu};
  for (const auto& place : trial.code.places)
    all.functions[names.of(place)] += static_cast<double>(place.samples) * trial.code.period;
  return all;
}

std::vector<std::string> remarks_on(const Trials& trials, const places::Names& names) {
  std::vector<std::string> remarks;
  for (const auto& file : names.replaced_files())
    remarks.push_back(model::printable(file) +
                      " was replaced after it had run, so that its functions have no names");
  std::uint64_t lost = 0, taken = 0;
  std::map<std::string, std::uint64_t> nameless;
  for (const auto& [cell, rounds] : trials)
    for (const auto& [round, trial] : rounds) {
      lost += trial.code.lost;
      taken += trial.code.taken;
      for (const auto& place : trial.code.places)
        if (names.is_nameless(place)) nameless[place.file] += place.samples;
    }
  constexpr std::uint64_t tenth = 10;  // of the samples: files with fewer do not matter
  for (const auto& [file, samples] : nameless)
    if (tenth * samples >= taken)
      remarks.push_back(
          model::printable(file) +
          " has no symbols; built without -s, or with its debug symbols installed, its functions "
          "have names");
  if (lost > 0)
    remarks.push_back(std::to_string(lost) + " samples were lost: the machine was too busy to read them");
  return remarks;
}

}  // namespace

SampledCampaign run_sampled(const Plan& plan, const RunOptions& run, PlanOptions options, double period) {
  Trials trials;
  SampledCampaign campaign;
  campaign.problem = measure::Sampler(getpid(), std::vector{measure::cores_allowed().front()}, {}).problem();
  if (!campaign.problem.empty()) return campaign;
  options.sampling = engine::CodeSampling{
      .period = period, .take = [&](const Trial& trial, double cpu, const measure::CodeSamples& code) {
        if (!code.problem.empty()) campaign.problem = code.problem;  // another core, or the rings' memory
        if (trial.round && code.problem.empty())
          trials[trial.cell][*trial.round] = {.cpu = cpu, .code = code};
      }};
  campaign.findings = run_plan(plan, run, options);
  places::Names names;
  const auto& design = campaign.findings.design;
  for (const auto& of : design.comparisons) {
    if (design.is_twin(of.candidate)) continue;
    std::vector<judge::SampledRound> rounds;
    for (const auto& [number, baseline] : trials[of.baseline])
      if (const auto found = trials[of.candidate].find(number); found != trials[of.candidate].end())
        rounds.push_back({.baseline = named(baseline, names),
                          .candidate = named(found->second, names),
                          .period = baseline.code.period});
    if (rounds.empty()) continue;
    auto where = judge::judge_where(of, rounds, design.rules.seed);
    std::vector<std::string> full;
    for (const auto& function : where.functions) full.push_back(function.name);
    const auto shorter = places::short_names(full);
    for (auto& function : where.functions) function.name = shorter.at(function.name);
    where.way = model::way_of(design, campaign.findings.ways, of.candidate);
    campaign.where.push_back(std::move(where));
  }
  campaign.remarks = remarks_on(trials, names);
  return campaign;
}

}  // namespace assay::setup
