#include "assay/history/trend.hpp"

#include <algorithm>
#include <cmath>
#include <map>
#include <set>
#include <tuple>
#include <utility>
#include <vector>

#include "assay/engine/round_loop.hpp"
#include "assay/history/commit_comparer.hpp"
#include "assay/history/coverage.hpp"
#include "assay/history/history_line.hpp"
#include "assay/history/measured_values.hpp"
#include "assay/ledger/ledger.hpp"
#include "assay/measure/file_io.hpp"
#include "assay/model/error.hpp"
#include "assay/plan/cells.hpp"
#include "assay/plan/plan_file.hpp"
#include "assay/stats/multiple_testing.hpp"

namespace assay::history {
namespace {

constexpr std::size_t at_once = 4;  ///< commits in a campaign, beside the reference

class HistoryMeasurement {
 public:
  HistoryMeasurement(const Plan& plan, const TrendOptions& options, const engine::RunOptions& run)
      : options_(options),
        ledger_(run.ledger),
        measuring_(plan, CampaignKind::history, run),
        clock_(engine::steady_clock()) {
    measuring_.narrow(options.only);
    if (options.every < 1)
      throw Error("each so many commits must be 1 or more", Error::Field::every, "write it like 5");
  }

  History run() {
    const auto& plan = measuring_.plan();
    history_ = {.title = plan.title,
                .reference = options_.reference,
                .branch = options_.branch,
                .margin = plan.margin};
    find_commits();
    const auto& reference = history_.commits.front();
    measuring_.set_label(reference, options_.reference);
    archive_ = read_measured_values(ledger_, reference.id);
    began_ = clock_();
    if (options_.measures) try {
        measuring_.take_turn();
        measure_missing();
        measure_steps();
        reduce();
      } catch (const Cancelled&) {
        history_.interrupted = true;
      }
    put_together();
    history_.seconds = clock_() - began_;
    return std::move(history_);
  }

 private:
  /// The commits from the reference on, and those of them that are asked for.
  void find_commits() {
    auto& repository = measuring_.repository();
    for (const auto& name : {options_.reference, options_.branch})
      if (name == ".") throw Error("the working tree is no commit", "trend", "commit it first");
    history_.commits = repository.line(options_.reference, options_.branch);
    if (history_.commits.size() == 1)
      throw Error(options_.branch + " is the reference commit itself, so there is no history between them",
                  "trend", "name an older reference, like the first release");
    for (const auto& commit : history_.commits) {
      places_[commit.id] = ids_.size();
      ids_.push_back(commit.id);
    }
    std::size_t first = 1;
    if (!options_.since.empty()) {
      const auto since = places_.find(repository.id_of(options_.since));
      if (since == places_.end())
        throw Error("\"" + options_.since + "\" does not lie between " + options_.reference + " and " +
                        options_.branch,
                    Error::Field::since, "name a commit on that line: git log --first-parent");
      first = std::max<std::size_t>(1, since->second);
    }
    const auto every = static_cast<std::size_t>(options_.every);
    for (auto place = history_.commits.size() - 1; place >= first; place -= every) {
      asked_.push_back(place);
      if (place < every) break;
    }
    std::ranges::reverse(asked_);
    for (const auto& workload : measuring_.plan().workloads) {
      work_.definitions[workload.name] = measure::digest_of(plan::canonical_text(workload));
      if (!workload.contest.empty()) work_.contests.insert(workload.name);
    }
    const auto cells = plan::expand_cells(measuring_.plan());
    for (const auto& planned : cells)
      if (planned.state.is_ok())
        work_.cells.emplace(measuring_.plan().workload(planned.cell.workload).name,
                            planned.cell.setting.text());
  }

  const std::string& id_at(std::size_t place) const { return ids_[place]; }
  Coverage coverage() const { return {archive_, asked_, ids_, places_, work_, measuring_.fingerprint()}; }

  void reduce() {
    if (options_.keep <= 0 || ledger_.empty()) return;
    auto& observer = measuring_.observer();
    try {
      const auto count = reduce_history(ledger_, static_cast<std::size_t>(options_.keep));
      if (count > 0)
        observer.on_message("reduced " + std::to_string(count) +
                            " campaigns of the history to their values, as [history] keep says");
    } catch (const Error& error) {
      if (error.code() != Error::Code::ledger_read_only) throw;
      observer.on_message("[history] keep was left to the ledger's owner, who alone may take trials out");
    }
  }

  bool has_time() const { return !options_.budget || clock_() - began_ + longest_ <= *options_.budget; }

  Campaign timed(const std::vector<CommitFacts>& commits, int rounds, const judge::CallPromise& sure = {}) {
    const double start = clock_();
    auto campaign = measuring_.compare(commits, rounds, sure);
    longest_ = std::max(longest_, clock_() - start);
    return campaign;
  }

  void measure_missing() {
    constexpr int fewest_rounds = 8;
    while (has_time()) {
      const auto elsewhere = see_others();
      auto open = coverage().missing(options_.retries);
      // What a campaign could not try once, it can't a second time.
      std::erase_if(open, [&](std::size_t place) { return attempted_.contains(place); });
      const auto others =
          std::erase_if(open, [&](std::size_t place) { return elsewhere.contains(id_at(place)); });
      if (open.empty() && others > 0)
        measuring_.observer().on_message(std::to_string(others) +
                                         (others == 1 ? " commit is" : " commits are") +
                                         " being measured elsewhere");
      if (open.empty()) break;
      const auto batch = next_to_measure(asked_, open, at_once);
      std::vector<CommitFacts> commits = {history_.commits.front()};
      for (const auto place : batch) {
        commits.push_back(history_.commits[place]);
        attempted_.insert(place);
      }
      measuring_.observer().on_message("measuring " + std::to_string(batch.size()) + " of " +
                                       std::to_string(open.size()) + " missing commits");
      const auto campaign = timed(commits, std::max(fewest_rounds, measuring_.plan().rounds.min));
      refuse_without_reference(campaign.findings);
      add_and_keep(archive_, campaign.record, id_at(0), ledger_);
      known_ = campaign.record.design.uid;
      history_.measured_now += batch.size();
    }
  }

  /// The commits that others measure now; what they have finished meanwhile is taken up.
  std::set<std::string> see_others() {
    if (ledger_.empty() || !ledger::Place::of(ledger_).is_there()) return {};
    ledger::Ledger ledger(ledger_, ledger::Ledger::OpenMode::existing);
    const auto newest = ledger.list({.newest = 1});
    if (!newest.empty() && newest.front().uid != known_) {
      if (!known_.empty()) archive_ = read_measured_values(ledger_, id_at(0));
      known_ = newest.front().uid;
    }
    return ledger.commits_being_measured();
  }

  void refuse_without_reference(const Findings& findings) const {
    for (const auto cell : findings.design.cells.ids())
      if (findings.design.cells[cell].candidate == CandidateId{0} && !findings.statuses[cell].is_ok())
        throw Error("the reference commit " + options_.reference +
                        " can't be measured: " + findings.statuses[cell].detail,
                    "trend", "name another in [history] reference, or with --reference",
                    Error::Code::measuring);
  }

  std::vector<HistoryLine> lines() const {
    std::vector<HistoryLine> all;
    const auto era = coverage().era_here();
    for (const auto& [workload, setting] : coverage().places_of_lines())
      for (const auto& [name, metric] : archive_.metrics) {
        if (!options_.metric.empty() && name != options_.metric) continue;
        auto line = make_line(archive_, {workload, setting, name}, work_.definitions.at(workload), places_,
                              era, metric.request.margin.value_or(history_.margin));
        if (!line.points.empty()) all.push_back(std::move(line));
      }
    return all;
  }

  /// The campaign of two points' commits, once it has been measured.
  const MeasuredPair* pair_of(const HistoryLine& line, std::size_t before, std::size_t after) const {
    const auto found =
        archive_.pairs.find({id_at(line.points[before].commit_index), id_at(line.points[after].commit_index),
                             line.workload, line.setting, line.metric.name});
    return found == archive_.pairs.end() ? nullptr : &found->second;
  }

  const MeasuredPair* measured_pair(const HistoryLine& line, std::size_t before, std::size_t after) {
    if (const auto* known = pair_of(line, before, after)) return known;
    if (!has_time()) return nullptr;
    const auto &from = history_.commits[line.points[before].commit_index],
               &to = history_.commits[line.points[after].commit_index];
    measuring_.observer().on_message("a step of " + line.workload + " between " + from.short_id() + " and " +
                                     to.short_id() + "? measuring them beside each other");
    const auto campaign = timed({from, to}, 0, {.level = claims().level_of_next});
    add_and_keep(archive_, campaign.record, id_at(0), ledger_);
    return pair_of(line, before, after);
  }

  /// The points in the middle of the levels on either side of a step.
  static std::pair<std::size_t, std::size_t> middles(const HistoryLine& line, std::size_t step) {
    const auto &left = line.levels[step], &right = line.levels[step + 1];
    return {(left.first + left.end - 1) / 2, (right.first + right.end) / 2};
  }

  /// What campaigns of two commits may claim, all that the ledger has in the order in which they were
  /// measured: of all claims that are ever made an expected share of 5 % at most is false.
  struct Claims {
    std::map<const MeasuredPair*, double> level;
    std::set<const MeasuredPair*> made;
    double level_of_next = 0;
  };
  Claims claims() const {
    std::vector<const MeasuredPair*> in_order;
    for (const auto& [key, pair] : archive_.pairs) in_order.push_back(&pair);
    std::ranges::stable_sort(in_order, {}, &MeasuredPair::started);
    Claims claims;
    stats::OnlineDiscoveries deciding;
    for (const auto* pair : in_order) {
      claims.level[pair] = deciding.level();
      const bool called = is_change(pair->compared.verdict);
      if (deciding.decide(called ? pair->p : 1)) claims.made.insert(pair);
    }
    // Of a campaign every line is one: the last has the least.
    claims.level_of_next = deciding.level(std::max<std::size_t>(lines_, 1) - 1);
    return claims;
  }

  void measure_steps() {
    measuring_.set_kind(CampaignKind::step);
    const auto all = lines();
    lines_ = all.size();
    for (const auto& line : all)
      for (std::size_t i = 0; i < line.steps.size(); ++i) {
        const auto* measured = measured_pair(line, line.steps[i].before, line.steps[i].after);
        if (measured == nullptr || claims().made.contains(measured)) continue;
        const auto [from, to] = middles(line, i);
        measured_pair(line, from, to);
      }
  }

  /// What became of a proposed step.
  void tell(HistoryLine& line, std::size_t i, const Claims& known) const {
    auto& step = line.steps[i];
    const auto* pair = pair_of(line, step.before, step.after);
    if (pair == nullptr) return;
    const auto is_made = [&](const MeasuredPair* of) { return of != nullptr && known.made.contains(of); };
    step.status =
        pair->compared.verdict == Verdict::same ? HistoryStep::Status::refuted : HistoryStep::Status::open;
    if (is_made(pair)) {
      step.status = HistoryStep::Status::confirmed;
    } else {
      std::tie(step.from, step.to) = middles(line, i);
      if (const auto* apart = pair_of(line, step.from, step.to); is_made(apart)) {
        pair = apart;
        step.status = HistoryStep::Status::drift;
      }
    }
    step.measured = pair->compared;
    step.effect = pair->compared.effect;
    constexpr double rate = 0.05;
    step.p_adjusted = std::min(1.0, pair->p * rate / known.level.at(pair));
  }

  /// The lines, with what became of each proposed step.
  void put_together() {
    history_.lines = lines();
    const auto known = claims();
    for (auto& line : history_.lines)
      for (std::size_t i = 0; i < line.steps.size(); ++i) tell(line, i, known);
    for (auto& line : history_.lines) merge_levels(line);
    std::set<std::string> elsewhere;
    for (const auto& value : archive_.values)
      if (!places_.contains(value.commit)) elsewhere.insert(value.commit);
    history_.off_branch = elsewhere.size();
    const auto covered = coverage();
    for (const auto place : asked_) {
      if (covered.is_unmeasurable(place))
        history_.unmeasurable.push_back({history_.commits[place], archive_.silent.at(id_at(place))});
      else if (covered.was_attempted(place, {}))
        ++history_.measured;
      else
        ++history_.missing;
    }
  }

  const TrendOptions& options_;
  std::string ledger_;
  CommitComparer measuring_;
  engine::Clock clock_;
  History history_;
  MeasuredValues archive_;
  std::vector<std::string> ids_;               ///< of the commits, full
  std::map<std::string, std::size_t> places_;  ///< by full id
  std::vector<std::size_t> asked_;             ///< places that are asked for, ascending
  std::set<std::size_t> attempted_;            ///< in this call
  std::string known_;                          ///< the uid of the newest campaign that the archive holds
  std::size_t lines_ = 0;                      ///< that a campaign tells of
  Coverage::Work work_;
  double began_ = 0, longest_ = 0;
};

}  // namespace

History trend(const Plan& plan, const TrendOptions& options, const engine::RunOptions& run) {
  return HistoryMeasurement(plan, options, run).run();
}

}  // namespace assay::history
