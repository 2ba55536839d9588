#include "assay/setup/candidate_builds.hpp"

#include <filesystem>

#include "assay/model/error.hpp"
#include "assay/model/text.hpp"

namespace assay::setup {
namespace {

std::string text_of(const build::BuildRequest& order) {
  std::string text = order.folder + '\n' + order.commit + '\n';
  for (const auto& input : order.inputs) text += input + '\0';
  for (const auto& step : order.steps) {
    for (const auto& word : step) text += word + '\0';
    text += '\n';
  }
  return text + (order.capture ? "captured" : "");
}

std::string build_text(const build::BuildResult& built) {
  std::string text = built.from.title.empty() ? "" : " (" + built.from.title + ")";
  if (!built.ok) return text + ": " + built.why.substr(0, built.why.find('\n')) + "; its log is " + built.log;
  const auto seconds = static_cast<long>(built.seconds * 1000);
  return text + (built.cached ? ": built before" : ": built in " + std::to_string(seconds) + " ms");
}

}  // namespace

CandidateBuilds::CandidateBuilds(const Plan& plan, measure::Launcher& launcher,
                                 const std::function<void(const std::string&)>& log,
                                 const std::stop_token& stop, bool tells_known) {
  build::Builder builder(launcher, build::cache_of(plan.folder), log);
  const auto settings = all_settings(plan.factors);
  for (std::size_t i = 0; i < plan.candidates.size(); ++i) {
    const auto& candidate = plan.candidates[i];
    const CandidateId id{static_cast<std::int64_t>(i)};
    if (candidate.build.steps.empty()) continue;
    for (const auto& setting : settings) {
      if (!plan::applies_to(candidate, setting)) continue;
      build::BuildRequest order{
          .name = candidate.name,
          .folder = (std::filesystem::path(plan.folder) / candidate.source).lexically_normal().string(),
          .commit = candidate.commit,
          .steps = plan::expand_steps(plan, id, setting),
          .timeout = candidate.build.timeout,
          .inputs = candidate.build.inputs,
          .capture = candidate.build.relink != 0};
      const auto text = text_of(order);
      orders_[{id, setting.text()}] = text;
      if (builds_.contains(text)) continue;
      try {
        const auto& built = builds_.emplace(text, builder.build(order, stop)).first->second;
        if (log && (tells_known || !built.cached)) log(candidate.name + build_text(built));
        if (log && !built.from.note.empty()) log(candidate.name + ": " + built.from.note);
      } catch (const Error& error) {
        throw Error(error.problem(), "candidate " + candidate.name + ", " + error.place(), error.remedy());
      }
    }
  }
}

const build::BuildResult* CandidateBuilds::find(CandidateId candidate, const Setting& setting) const {
  const auto order = orders_.find({candidate, setting.text()});
  return order == orders_.end() ? nullptr : &builds_.at(order->second);
}

plan::BuildPaths CandidateBuilds::paths(CandidateId candidate, const Setting& setting) const {
  const auto* build = find(candidate, setting);
  return build == nullptr ? plan::BuildPaths{} : plan::BuildPaths{build->source, build->out};
}

}  // namespace assay::setup
