#include "assay/judge/confirmation.hpp"

#include <algorithm>
#include <cmath>
#include <optional>
#include <tuple>

#include "assay/model/enum_names.hpp"
#include "assay/model/setting.hpp"

namespace assay::judge {
namespace {

using Key = std::tuple<std::string, std::string, std::string, std::string, std::string>;

Key key_of(const Findings& all, const Finding& f) {
  const auto& cell = all.candidate_cell(f);
  return {all.candidate(cell).name, all.candidate(all.baseline_cell(f)).name, all.workload(cell).name,
          cell.setting.text(), all.metric_of(f).name};
}

bool watched(const Findings& all, const Finding& f) { return all.metric_of(f).request.watched; }
bool is_twin(const Findings& all, const Finding& f) {
  return all.candidate(all.candidate_cell(f)).twin_of.has_value();
}
bool changed(const Finding& f) { return f.verdict == Verdict::better || f.verdict == Verdict::worse; }

const Finding* find_matching(const Findings& other, const Key& key) {
  const auto found =
      std::ranges::find_if(other.findings, [&](const Finding& f) { return key_of(other, f) == key; });
  return found == other.findings.end() ? nullptr : &*found;
}

std::string within_aa_noise(const Findings& all, const Finding& f) {
  for (const auto& twin : all.findings)
    if (is_twin(all, twin) && twin.metric == f.metric && !all.metric_of(f).exact &&
        f.effect.distance() <= twin.effect.distance())
      return "it is no larger than the difference of a baseline from itself here";
  return {};
}

std::string against_others(const Findings& all, const Finding& f) {
  std::size_t others = 0, opposite = 0;
  for (const auto& other : all.findings) {
    if (&other == &f || other.metric != f.metric || !changed(other) ||
        all.candidate_cell(other).candidate != all.candidate_cell(f).candidate)
      continue;
    ++others;
    opposite += other.verdict != f.verdict ? 1U : 0U;
  }
  if (others < 3 || 3 * opposite < 2 * others) return {};
  return "it goes against " + std::to_string(opposite) + " of the candidate's " + std::to_string(others) +
         " other changes";
}

std::string against_earlier(const Findings& all, const Finding& f, const Findings* earlier) {
  const auto* before = earlier == nullptr ? nullptr : find_matching(*earlier, key_of(all, f));
  if (before == nullptr || before->verdict == Verdict::unclear || before->verdict == f.verdict) return {};
  return "an earlier campaign called it " + to_string(before->verdict);
}

}  // namespace

std::vector<Surprise> find_surprises(const Findings& all, const Findings* earlier) {
  std::vector<Surprise> found;
  for (std::size_t i = 0; i < all.findings.size(); ++i) {
    const auto& f = all.findings[i];
    if (!watched(all, f) || is_twin(all, f) || !changed(f)) continue;
    for (const auto& why :
         {within_aa_noise(all, f), against_others(all, f), against_earlier(all, f, earlier)})
      if (!why.empty()) {
        found.push_back({i, why});
        break;
      }
  }
  return found;
}

std::vector<Confirmation> compare_confirmation(const Findings& before, const Findings& now) {
  using Status = Confirmation::Status;
  std::vector<Confirmation> all;
  for (const auto& f : now.findings) {
    if (!watched(now, f) || is_twin(now, f)) continue;
    const auto* was = find_matching(before, key_of(now, f));
    if (was == nullptr) continue;
    const auto& cell = now.candidate_cell(f);
    const auto setting = cell.setting.text();
    Confirmation c{.candidate = now.candidate(cell).name,
                   .baseline = now.candidate(now.baseline_cell(f)).name,
                   .cell = now.workload(cell).name + (setting.empty() ? "" : ", " + setting),
                   .metric = now.metric_of(f).name,
                   .before = was->verdict,
                   .now = f.verdict,
                   .effect_before = was->effect,
                   .effect_now = f.effect,
                   .unit = now.metric_of(f).unit};
    c.status = c.now == Verdict::unclear      ? Status::unclear
               : c.before == Verdict::unclear ? Status::decided
               : c.before == c.now            ? Status::confirmed
                                              : Status::refuted;
    all.push_back(std::move(c));
  }
  return all;
}

}  // namespace assay::judge
