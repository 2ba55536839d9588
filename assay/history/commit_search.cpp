#include "assay/history/commit_search.hpp"

#include <algorithm>
#include <utility>

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

std::vector<CommitPosterior::Cost> CommitSearch::costs() const {
  constexpr double of_a_build = 1, pairs = 2;  // a check and a warm-up beside it; until one was seen
  const double opening =
      builds_ == 0 ? of_a_build + pairs * pair_seconds_ : opening_seconds_ / static_cast<double>(builds_);
  std::vector<CommitPosterior::Cost> all(line_.size());
  for (std::size_t place = 1; place < line_.size(); ++place)
    all[place] = {.before = open_.contains(place) ? 0 : opening, .pair = pair_seconds_};
  return all;
}

CommitPosterior::CommitRange CommitSearch::run(double sure, std::optional<double> until) {
  constexpr std::size_t most_pairs = 5000;
  while (commits_.likeliest().probability < sure && commits_.pairs() < most_pairs &&
         (!until || clock_() < *until)) {
    const auto probe = commits_.next(costs());
    if (!probe) break;
    report(line_[probe->place]);
    measure(probe->place);
  }
  return commits_.likeliest();
}

setup::StepwiseCampaign& CommitSearch::open(std::size_t place) {
  if (const auto known = open_.find(place); known != open_.end()) return *known->second;
  constexpr std::size_t most_open = 12;  // each has a process of its own beside it
  if (order_.size() == most_open) {
    open_.erase(order_.front());
    order_.pop_front();
  }
  const double began = clock_();
  auto& opened = open_[place] = measuring_.open(line_.front(), line_[place]);
  order_.push_back(place);
  opening_seconds_ += clock_() - began;
  ++builds_;
  return *opened;
}

void CommitSearch::measure(std::size_t place) {
  auto& campaign = open(place);
  const auto before = effects_of_(campaign.record()).size();
  campaign.run_round();
  const auto effects = effects_of_(campaign.record());
  if (effects.size() > before) {
    commits_.add(place, effects.back());
    ++pairs_;
  }
  if (const auto why = campaign.blocking_reason(); !why.empty()) mark_unmeasurable(place, why);
}

void CommitSearch::mark_unmeasurable(std::size_t place, const std::string& why) {
  if (why.starts_with(measuring_.name_of(line_.front()) + ": "))
    throw Error("the good commit no longer does its work; " + why, "locate", "name another good one",
                Error::Code::measuring);
  commits_.mark_unmeasurable(place);
  silent_.push_back({line_[place], why.substr(why.find(": ") + 2)});
  open_.erase(place);
  std::erase(order_, place);
}

void CommitSearch::report(const CommitFacts& now) {
  const Line commits(line_.begin() + 1, line_.end());
  auto p = commits_.probabilities();
  p.erase(p.begin());
  measuring_.observer().on_search(
      {.commits = commits, .probability = std::move(p), .pairs = pairs_, .now = now});
}

}  // namespace assay::history
