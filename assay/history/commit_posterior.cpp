#include "assay/history/commit_posterior.hpp"

#include <algorithm>

#include "assay/model/error.hpp"

namespace assay::history {

CommitPosterior::CommitPosterior(std::size_t last, const stats::ChangeModel& model)
    : posterior_(last), model_(model), silent_(last + 1, false), acquitted_(last + 1, false) {}

void CommitPosterior::add(std::size_t place, double effect) { posterior_.add(place, effect); }

void CommitPosterior::mark_unmeasurable(std::size_t place) {
  if (place == 0 || place >= last()) throw DomainError("the ends of the stretch were measured", place);
  silent_[place] = true;
}

std::vector<double> CommitPosterior::probabilities() const {
  auto model = model_;
  model.scale = scale();
  auto p = posterior_.probabilities(model);
  double left = 0;
  for (std::size_t place = 1; place < p.size(); ++place) left += acquitted_[place] ? 0 : p[place];
  if (!(left > 0)) return p;
  for (std::size_t place = 1; place < p.size(); ++place) p[place] = acquitted_[place] ? 0 : p[place] / left;
  return p;
}

void CommitPosterior::exclude(const CommitRange& run) {
  for (auto place = run.first; place < run.end; ++place) acquitted_.at(place) = true;
}

std::vector<CommitPosterior::CommitRange> CommitPosterior::ranges() const {
  const auto p = probabilities();
  std::vector<CommitRange> all;
  CommitRange run{.first = 1};
  for (std::size_t place = 1; place <= last(); ++place) {
    run.probability += p[place];
    if (silent_[place]) continue;
    run.end = place + 1;
    all.push_back(run);
    run = {.first = place + 1};
  }
  return all;
}

CommitPosterior::CommitRange CommitPosterior::likeliest() const {
  return std::ranges::max(ranges(), {}, &CommitRange::probability);
}

std::optional<CommitPosterior::NextMeasurement> CommitPosterior::next(const std::vector<Cost>& costs) const {
  const auto p = probabilities();
  const double effect = model_.total / scale();
  std::optional<NextMeasurement> best;
  double most = 0, before = 0;
  for (std::size_t place = 1; place < last(); ++place) {
    before += p[place];
    constexpr double nothing = 1e-9;  // of a probability: such a place tells nothing
    if (silent_[place] || std::min(before, 1 - before) < nothing) continue;
    for (const std::size_t pairs : {1U, 2U, 4U, 8U, 16U}) {
      if (pairs > 1 && costs[place].before <= 0) break;  // each further pair tells less than the one before
      const double seconds = costs[place].before + static_cast<double>(pairs) * costs[place].pair;
      const double bits = stats::mutual_information(std::clamp(before, 0.0, 1.0), effect, pairs);
      if (bits / seconds <= most) continue;
      most = bits / seconds;
      best = NextMeasurement{place, pairs};
    }
  }
  return best;
}

}  // namespace assay::history
