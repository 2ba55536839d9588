#include "assay/history/commit_search.hpp"

#include <algorithm>
#include <utility>

#include "assay/model/error.hpp"

namespace assay::history {

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
  measuring_.observer().searching(
      {.commits = commits, .probability = std::move(p), .pairs = pairs_, .now = now});
}

}  // namespace assay::history
