#include <algorithm>
#include <cmath>
#include <utility>

#include "assay/engine/round_loop.hpp"
#include "assay/history/commit_comparer.hpp"
#include "assay/history/commit_search.hpp"
#include "assay/history/coverage.hpp"
#include "assay/history/measured_values.hpp"
#include "assay/history/trend.hpp"
#include "assay/model/error.hpp"

namespace assay::history {
namespace {

constexpr CandidateId before_id{0}, after_id{1};

Line line_between(build::Repository& repository, const std::string& good, const std::string& bad,
                  const std::vector<std::string>& inputs) {
  for (const auto& name : {good, bad})
    if (name == ".")
      throw Error("the working tree is no commit", "locate", "commit it, and name that commit");
  auto line = repository.line(good, bad);
  if (line.size() == 1) throw Error(good + " and " + bad + " are the same commit", "locate", "name two");
  repository.drop_unchanged(line, inputs);
  return line;
}

class CommitLocator {
 public:
  CommitLocator(const Plan& plan, const LocateOptions& options, const engine::RunOptions& run)
      : options_(options),
        ledger_(run.ledger),
        measuring_(plan, CampaignKind::search, run, !options.ignore_earlier),
        clock_(engine::steady_clock()) {
    measuring_.narrow(options.only);
  }

  CommitSearchResult run() {
    found_.good = options_.good;
    found_.bad = options_.bad;
    found_.smallest_change = wanted();
    const auto line = line_between(measuring_.repository(), options_.good, options_.bad, inputs());
    measuring_.set_label(line.front(), options_.good);
    if (options_.bad != "HEAD") measuring_.set_label(line.back(), options_.bad);
    found_.commits = line.size() - 1;
    const double began = clock_();
    try {
      measuring_.take_turn();
      if (const auto whole = compare_ends(line)) search_range(line, *whole);
    } catch (const Cancelled&) {
      found_.interrupted = true;
    }
    std::ranges::stable_sort(found_.steps, {},
                             [](const CommitSearchStep& step) { return step.commits.front().time; });
    found_.seconds = clock_() - began;
    return std::move(found_);
  }

 private:
  /// A campaign of two commits, and its finding on what is looked at.
  struct ComparedCommits {
    CommitsCompared compared;
    double effect = 0;            ///< on the tests' scale, above 0 is what is looked for
    double low = 0;               ///< the low end of its interval, likewise
    std::vector<double> effects;  ///< of its rounds
    double pair_seconds = 0;
  };

  const std::vector<std::string>& inputs() const { return measuring_.plan().candidates.front().build.inputs; }

  Verdict wanted() const { return options_.better ? Verdict::better : Verdict::worse; }

  double sign_of(const Metric& metric) const { return regression_sign(metric) * (options_.better ? -1 : 1); }

  /// Of the rounds of two commits, above 0 where the later one has what is looked for.
  std::vector<double> effects_of(const Record& record) const {
    auto effects = regression_effects(record, after_id, where_);
    if (options_.better)
      for (double& effect : effects) effect = -effect;
    return effects;
  }

  bool is_asked(const Findings& findings, const Finding& finding) const {
    const auto& metric = findings.metric_of(finding);
    if (findings.candidate(findings.candidate_cell(finding)).twin_of) return false;
    return options_.metric.empty() ? metric.request.watched : metric.name == options_.metric;
  }

  /// The finding of a verdict (of any: empty) that is farthest from no change for its width.
  const Finding* most_significant(const Findings& findings, std::optional<Verdict> verdict) const {
    const Finding* best = nullptr;
    double most = -1;
    for (const auto& f : findings.findings) {
      if (!is_asked(findings, f) || (verdict && f.verdict != *verdict)) continue;
      const auto end = [&](double x) { return Effect{f.effect.scale, x}.transformed(); };
      const double width = end(f.interval.high) - end(f.interval.low);
      const double clear = f.effect.distance() / (std::isfinite(width) ? std::max(width, 1e-9) : 1e9);
      if (clear > most) {
        most = clear;
        best = &f;
      }
    }
    return best;
  }

  ComparedCommits compared(const Campaign& campaign, const CommitFacts& before, const CommitFacts& after,
                           const Finding& f) const {
    ComparedCommits result{.compared = {.before = measuring_.name_of(before),
                                        .after = measuring_.name_of(after),
                                        .verdict = f.verdict,
                                        .effect = f.effect,
                                        .interval = f.interval,
                                        .rounds = f.rounds,
                                        .campaign = campaign.findings.design.uid}};
    const double sign = sign_of(campaign.findings.metric_of(f));
    const auto turned = [&](double x) { return sign * Effect{f.effect.scale, x}.transformed(); };
    result.effect = turned(f.effect.value);
    result.low = std::min(turned(f.interval.low), turned(f.interval.high));
    result.effects = effects_of(campaign.record);
    result.pair_seconds = seconds_of_pair(campaign.record);
    return result;
  }

  [[noreturn]] static void refuse(const Findings& findings) {
    std::string why;
    for (const auto cell : findings.design.cells.ids())
      if (const auto& state = findings.statuses[cell]; why.empty() && !state.is_ok())
        why = findings.design.candidate_of(cell).name + ": " + state.detail;
    throw Error("good and bad can't be compared" + (why.empty() ? "" : "; " + why), "locate",
                "name commits that build and do the work, like the next release", Error::Code::measuring);
  }

  /// Whether there is anything to look for, and where it shows.
  std::optional<ComparedCommits> compare_ends(const Line& line) {
    // A step of half the difference has to be distinguished from none: how large that is must be known first.
    constexpr double part_of_difference = 0.25;
    const auto campaign = measuring_.compare({line.front(), line.back()}, 0, {.part = part_of_difference});
    const auto& findings = campaign.findings;
    if (findings.findings.empty()) refuse(findings);
    const auto* looked_for = most_significant(findings, wanted());
    const auto* opposite = most_significant(findings, options_.better ? Verdict::worse : Verdict::better);
    const auto* shown = looked_for != nullptr ? looked_for
                        : opposite != nullptr ? opposite
                                              : most_significant(findings, {});
    if (shown == nullptr)
      throw Error("there is no verdict on \"" + options_.metric + "\"", Error::Field::metric,
                  "name a metric that the plan watches, like \"wall time\"");
    const auto& cell = findings.candidate_cell(*shown);
    found_.metric = findings.metric_of(*shown);
    where_ = {findings.workload(cell).name, cell.setting.text(), found_.metric.name};
    found_.workload = where_.workload;
    found_.setting = where_.setting;
    auto whole = compared(campaign, line.front(), line.back(), *shown);
    found_.end_to_end = whole.compared;
    if (looked_for == nullptr) {
      const bool same = std::ranges::all_of(findings.findings, [&](const Finding& f) {
        return !is_asked(findings, f) || f.verdict == Verdict::same;
      });
      found_.status = opposite != nullptr ? CommitSearchResult::Status::opposite_direction
                      : same              ? CommitSearchResult::Status::no_change
                                          : CommitSearchResult::Status::unclear;
      return {};
    }
    CellFilter only;
    only.allowed["workload"] = {where_.workload};
    for (const auto& factor : measuring_.plan().factors)
      if (const auto level = cell.setting.levels.find(factor.name); level != cell.setting.levels.end())
        only.allowed[factor.name] = {to_string(level->second)};
    measuring_.narrow(only);
    good_digest_ = findings.design.candidates[before_id].from.exe_digest;
    workload_digest_ = findings.workload(cell).digest;
    step_ = options_.step ? std::min(transformed_margin(found_.metric.scale, *options_.step), whole.effect)
                          : std::clamp(whole.low, whole.effect / 8, whole.effect / 2);
    found_.status = CommitSearchResult::Status::inconclusive;
    return whole;
  }

  /// A fresh campaign of two commits on what is looked at; empty where it has no finding.
  std::optional<ComparedCommits> hold_against(const CommitFacts& before, const CommitFacts& after) {
    const auto campaign = measuring_.compare({before, after});
    const auto f = std::ranges::find_if(campaign.findings.findings, [&](const Finding& finding) {
      const auto& findings = campaign.findings;
      const auto& cell = findings.candidate_cell(finding);
      return findings.metric_of(finding).name == where_.metric && cell.setting.text() == where_.setting &&
             findings.workload(cell).name == where_.workload;
    });
    if (f == campaign.findings.findings.end()) return {};
    return compared(campaign, before, after, *f);
  }

  /// Looks for a step on a line whose ends differ by `whole`, and for more beside it.
  void search_range(const Line& line, const ComparedCommits& whole) {
    constexpr std::size_t most_steps = 12;
    if (found_.steps.size() >= most_steps || line.size() < 2) return;
    auto found = line.size() == 2 ? Answer{.run = {1, 2, 1}, .compared = whole} : search(line, whole);
    const auto run = found.run;
    const auto& here = found.compared;
    CommitSearchStep step{.commits = Line(line.begin() + static_cast<std::ptrdiff_t>(run.first),
                                          line.begin() + static_cast<std::ptrdiff_t>(run.end)),
                          .probability = run.probability,
                          .parent = line[run.first - 1].id};
    if (here) step.confirmation = here->compared;
    step.is_merge = step.commits.size() == 1 && step.commits.front().parents.size() > 1;
    const bool confirmed = here && here->compared.verdict == wanted();
    step.confirmed = confirmed;
    if (!(confirmed && step.is_merge && options_.into_merges && search_merge(step.commits.front())))
      found_.steps.push_back(std::move(step));
    if (!here) return;
    found_.status = CommitSearchResult::Status::found;
    // Where the step is less than the whole, there is more on one side or both.
    if (!confirmed || whole.effect - here->effect < step_ || here->effect > whole.low) return;
    const auto part = [&](std::size_t first, std::size_t last) {
      if (last <= first) return;
      const Line there(line.begin() + static_cast<std::ptrdiff_t>(first),
                       line.begin() + static_cast<std::ptrdiff_t>(last) + 1);
      if (const auto compared = hold_against(there.front(), there.back());
          compared && compared->compared.verdict == wanted() && compared->effect >= step_ / 2)
        search_range(there, *compared);
    };
    part(0, run.first - 1);
    part(run.end - 1, line.size() - 1);
  }

  /// Whether the change came in by a merge's branch, and where there.
  bool search_merge(const CommitFacts& merge) {
    const auto fork = measuring_.repository().fork_point(merge);
    if (!fork) return false;
    Line branch;
    try {
      branch = line_between(measuring_.repository(), *fork, merge.parents[1], inputs());
    } catch (const Error&) {  // it has merges of its own that lead astray
      return false;
    }
    const auto compared = hold_against(branch.front(), branch.back());
    if (!compared || compared->compared.verdict != wanted()) return false;
    search_range(branch, *compared);
    return true;
  }

  /// A run of commits, and the campaign that held it against its parent; empty where it was not sure enough.
  struct Answer {
    CommitPosterior::CommitRange run;
    std::optional<ComparedCommits> compared;
  };

  /// Searches until an answer is confirmed. One that is not is looked at again, with more to be sure by, a
  /// few times.
  Answer search(const Line& line, const ComparedCommits& whole) {
    constexpr double least_scale = 0.05;  // of the effect: of exact metrics, which don't scatter
    CommitSearch search(
        measuring_, line, {.step = step_, .total = whole.effect, .scale = whole.effect * least_scale},
        [this](const Record& record) { return effects_of(record); }, whole.pair_seconds);
    for (const double effect : whole.effects) search.add(line.size() - 1, effect);
    take_earlier(line, search);
    const auto until = options_.budget ? std::optional(clock_() + *options_.budget) : std::nullopt;
    constexpr int most_answers = 3;
    constexpr double surer = 5;
    Answer answer;
    double doubt = 1 - options_.promise;
    try {
      for (int i = 0; i < most_answers; ++i, doubt /= surer) {
        answer = {.run = search.run(1 - doubt, until), .compared = {}};
        if (answer.run.probability < 1 - doubt) break;
        answer.compared = hold_against(line[answer.run.first - 1], line[answer.run.end - 1]);
        if (!answer.compared || answer.compared->compared.verdict == wanted()) break;
        if (answer.compared->compared.verdict == Verdict::same) search.exclude(answer.run);
      }
    } catch (const Cancelled&) {
      count(search);
      throw;
    }
    count(search);
    return answer;
  }

  void count(const CommitSearch& search) {
    found_.pairs += search.pairs();
    found_.builds += search.builds();
    found_.unmeasurable.insert(found_.unmeasurable.end(), search.unmeasurable().begin(),
                               search.unmeasurable().end());
  }

  /// Adds what earlier searches from the same good commit have in the ledger: the same work, programs and
  /// machine.
  void take_earlier(const Line& line, CommitSearch& search) {
    if (options_.ignore_earlier || ledger_.empty()) return;
    // Only the good commit of the whole was seen built; of others it is not known what their program is.
    if (measuring_.name_of(line.front()) != options_.good) return;
    const auto earlier = reused_pairs(ledger_, {.good = line.front().id,
                                                .program = good_digest_,
                                                .workload = where_.workload,
                                                .definition = workload_digest_,
                                                .machine = measuring_.fingerprint()});
    std::size_t taken = 0;
    for (const auto& [commit, record] : earlier) {
      const auto place = std::ranges::find(line, commit, &CommitFacts::id) - line.begin();
      if (place == 0 || place + 1 >= std::ssize(line)) continue;
      for (const double effect : effects_of(record)) {
        search.add(static_cast<std::size_t>(place), effect);
        ++taken;
      }
    }
    if (taken == 0) return;
    found_.earlier_pairs += taken;
    measuring_.observer().on_message("reckoning with " + std::to_string(taken) +
                                     " pairs that were measured before (--ignore-earlier leaves them out)");
  }

  const LocateOptions& options_;
  std::string ledger_;
  CommitComparer measuring_;
  engine::Clock clock_;
  CommitSearchResult found_;
  SeriesKey where_;
  std::string good_digest_, workload_digest_;
  double step_ = 0;  ///< the smallest that is looked for, on the tests' scale
};

}  // namespace

CommitSearchResult locate(const Plan& plan, const LocateOptions& options, const engine::RunOptions& run) {
  return CommitLocator(plan, options, run).run();
}

SearchOutline outline_search(const Plan& plan, const LocateOptions& options, const engine::RunOptions& run) {
  CommitComparer measuring(plan, CampaignKind::search, run);
  auto line = line_between(measuring.repository(), options.good, options.bad,
                           measuring.plan().candidates.front().build.inputs);
  SearchOutline outline;
  outline.commits.assign(line.begin() + 1, line.end());
  outline.merges = static_cast<std::size_t>(
      std::ranges::count_if(outline.commits, [](const CommitFacts& c) { return c.parents.size() > 1; }));
  for (const double effect : {1.0, 2.0, 4.0})
    outline.pairs.push_back({effect, std::log2(static_cast<double>(outline.commits.size())) /
                                         stats::mutual_information(0.5, effect)});
  return outline;
}

}  // namespace assay::history
