#include "assay/judge/confirmation.hpp"

#include <algorithm>
#include <cmath>
#include <optional>
#include <tuple>

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

bool within_aa_noise(const Findings& all, const Finding& f) {
  return std::ranges::any_of(all.findings, [&](const Finding& twin) {
    return is_twin(all, twin) && twin.metric == f.metric && !all.metric_of(f).exact &&
           f.effect.distance() <= twin.effect.distance();
  });
}

std::optional<Surprise> against_others(const Findings& all, const Finding& f) {
  Surprise surprise{.reason = Surprise::Reason::against_others};
  for (const auto& other : all.findings) {
    if (&other == &f || other.metric != f.metric || !changed(other) ||
        all.candidate_cell(other).candidate != all.candidate_cell(f).candidate)
      continue;
    ++surprise.others;
    surprise.opposite += other.verdict != f.verdict ? 1U : 0U;
  }
  if (surprise.others < 3 || 3 * surprise.opposite < 2 * surprise.others) return {};
  return surprise;
}

std::optional<Surprise> against_earlier(const Findings& all, const Finding& f, const Findings* earlier) {
  const auto* before = earlier == nullptr ? nullptr : find_matching(*earlier, key_of(all, f));
  if (before == nullptr || before->verdict == Verdict::unclear || before->verdict == f.verdict) return {};
  return Surprise{.reason = Surprise::Reason::against_earlier, .before = before->verdict};
}

}  // namespace

std::vector<Surprise> find_surprises(const Findings& all, const Findings* earlier) {
  std::vector<Surprise> found;
  for (std::size_t i = 0; i < all.findings.size(); ++i) {
    const auto& f = all.findings[i];
    if (!watched(all, f) || is_twin(all, f) || !changed(f)) continue;
    auto surprise = within_aa_noise(all, f) ? std::optional(Surprise{}) : against_others(all, f);
    if (!surprise) surprise = against_earlier(all, f, earlier);
    if (!surprise) continue;
    surprise->finding = i;
    found.push_back(*surprise);
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
