#include <algorithm>
#include <cmath>
#include <cstdlib>
#include <map>
#include <set>

#include "assay/campaign/identity.hpp"
#include "assay/campaign/recorder.hpp"
#include "assay/contest/arena.hpp"
#include "assay/contest/parts.hpp"
#include "assay/judge/findings.hpp"
#include "assay/measure/turnstile.hpp"
#include "assay/model/error.hpp"

namespace assay::contest {
namespace {

using campaign::Recorder;

class Running {
 public:
  Running(const Contest::Parts& parts, const Options& options) : parts_(parts), options_(options) {}

  Findings run() {
    look_over();
    auto record = blank_record();
    const auto players = players_;
    const auto cells = record.cells;
    const auto metrics = metrics_of(parts_, options_, OwnCounters());
    record.metrics = metrics.metrics;
    record.demands = metrics.demands;
    const auto seed = record.info.seed;
    measure::Turnstile turnstile;
    const bool part_of_a_plan = std::getenv("ASSAY_SAMPLES") != nullptr;  // which has the turn itself
    if (!part_of_a_plan && !turnstile.enter())
      record.sittings.front().facts.push_back({"beside another campaign", "yes"});
    Recorder recorder(std::move(record), options_.ledger);
    if (options_.begun) options_.begun(recorder.record());
    Arena arena(parts_, options_, players, cells, metrics, seed);
    auto ended = campaign::Ended::stopped;
    if (check_all(recorder, arena))
      ended = campaign::go_through_rounds(
          recorder, {.rounds = options_.rounds_max, .budget = {}, .together = true},
          [&](const Heat& heat, const std::stop_token& stop) { return arena.play(heat, stop); },
          options_.observe, options_.stop);
    if (ended != campaign::Ended::stopped) check_again(recorder, arena);
    recorder.set_state(ended == campaign::Ended::stopped ? CampaignState::interrupted : CampaignState::ended);
    if (options_.ended) options_.ended(recorder.record());
    return judge::judge_record(recorder.record());
  }

 private:
  [[noreturn]] void refuse(const std::string& problem, const std::string& remedy) const {
    throw Error(problem, "contest \"" + parts_.title + "\"", remedy);
  }

  /// Everything that can be found amiss before anything is called.
  void look_over() {
    if (!parts_.has_baseline) refuse("there is no baseline", "add one with baseline(\"name\", function)");
    if (parts_.candidates.size() < 2 && !options_.twin)
      refuse("nothing to compare: there is only the baseline", "add a candidate(\"name\", function)");
    if (options_.rounds_max < fewest_rounds || options_.rounds_min > options_.rounds_max)
      refuse(std::to_string(options_.rounds_max) + " rounds can't decide anything",
             "the smallest number that can is " + std::to_string(fewest_rounds) +
                 ", and the least must not be above the most");
    if (!(options_.budget > 0) || !(options_.slice > 0) || !(options_.margin > 0) ||
        !(options_.allowance > 0))
      refuse("budget, slice, margin and allowance must be above zero", "leave them at their defaults");
    settings_ = settings_of(parts_.factors);
    for (const auto& [factor, level] : options_.only) narrow(factor, level);
    const auto input =
        parts_.make_input ? std::optional(parts_.make_input(settings_.front())->type()) : std::nullopt;
    for (const auto& [name, callable] : parts_.candidates) {
      if (callable->input_type() == typeid(Nothing)) continue;
      if (!input) refuse("\"" + name + "\" takes an input, and none is made", "add one with input(...)");
      if (callable->input_type() != *input)
        refuse("\"" + name + "\" takes another input than input(...) makes",
               "give it the very type that is made");
      const bool threads = std::ranges::count(parts_.factors, Factor::Role::threads, &Factor::role) > 0;
      if (threads && callable->consumes())
        refuse("\"" + name + "\" consumes its input, which threads share",
               "let it take the input by const reference");
    }
  }

  void narrow(const std::string& factor, const std::string& level) {
    const auto known = std::ranges::find(parts_.factors, factor, &Factor::name);
    if (known == parts_.factors.end())
      refuse("there is no factor \"" + factor + "\" to choose from", "write --only FACTOR=LEVEL");
    std::erase_if(settings_, [&](const Setting& s) { return to_string(s.levels.at(factor)) != level; });
    if (settings_.empty()) refuse(level + " is not a level of " + factor, "choose one that it has");
  }

  void add_candidate(Record& record, const std::string& name, Player player) {
    Candidate candidate{.name = name};
    if (!players_.empty()) candidate.against = CandidateId{0};
    if (player.twin) candidate.twin_of = CandidateId{0};
    candidate.from.exe = parts_.title;
    candidate.options = {name};
    record.candidates.push_back(candidate);
    players_.push_back(player);
  }

  Record blank_record() {
    Record record;
    record.info = {.uid = campaign::draw_uid(),
                   .title = parts_.title,
                   .kind = "contest",
                   .seed = options_.seed.value_or(campaign::draw_seed()),
                   .started = campaign::milliseconds_now(),
                   .margin = options_.margin,
                   .rounds_min = options_.rounds_min,
                   .rounds_max = options_.rounds_max,
                   .repeat = options_.repeat};
    record.factors = parts_.factors;
    record.workloads = {{parts_.title, {}}};
    for (std::size_t i = 0; i < parts_.candidates.size(); ++i)
      add_candidate(record, parts_.candidates[i].name, {.candidate = i});
    if (options_.twin) {
      const auto& baseline = parts_.candidates.front().name;
      add_candidate(record, baseline + ", once more", {.candidate = 0, .copy = 0, .twin = true});
      add_candidate(record, baseline + ", placed anew", {.candidate = 0, .copy = 1, .twin = true});
    }
    for (const auto& setting : settings_) {
      const CellId baseline{static_cast<std::int64_t>(record.cells.size())};
      for (std::size_t c = 0; c < record.candidates.size(); ++c) {
        const CellId cell{static_cast<std::int64_t>(record.cells.size())};
        record.cells.push_back({.candidate = {static_cast<std::int64_t>(c)}, .setting = setting});
        if (c > 0) record.contrasts.push_back({baseline, cell});
      }
    }
    record.sittings.push_back(campaign::sitting_here());
    return record;
  }

  /// The levels of everything but sizes, by which a slow candidate's larger sizes are known.
  std::string but_sizes(Setting setting) const {
    for (const auto& factor : parts_.factors)
      if (factor.role == Factor::Role::size) setting.levels.erase(factor.name);
    return setting.text();
  }

  /// Whether each size of `larger` is at least that of `smaller`.
  bool at_least_as_large(const Setting& larger, const Setting& smaller) const {
    return std::ranges::all_of(parts_.factors, [&](const Factor& factor) {
      return factor.role != Factor::Role::size ||
             larger.levels.at(factor.name) >= smaller.levels.at(factor.name);
    });
  }

  struct TooSlow {
    CandidateId candidate;
    Setting at;
    double took = 0;
  };

  /// Calls every cell once, smaller sizes first, and gives the unsound ones their standing. False when
  /// stopped.
  bool check_all(Recorder& recorder, Arena& arena) {
    std::vector<TooSlow> slow;
    const auto cells = recorder.record().cells;
    std::map<std::string, CellId> baselines;
    for (std::size_t i = 0; i < cells.size(); ++i) {
      if (options_.stop.stop_requested()) return false;
      const CellId id{static_cast<std::int64_t>(i)};
      const auto& cell = cells[i];
      const auto text = cell.setting.text();
      if (cell.candidate.value == 0) baselines[text] = id;
      if (options_.observe)
        options_.observe({.phase = campaign::Progress::Phase::checking,
                          .cell = id,
                          .done = static_cast<int>(i),
                          .planned = static_cast<int>(cells.size())});
      const auto before = std::ranges::find_if(slow, [&](const TooSlow& s) {
        return s.candidate == cell.candidate && but_sizes(s.at) == but_sizes(cell.setting) &&
               at_least_as_large(cell.setting, s.at);
      });
      if (before != slow.end()) {
        recorder.set_standing(id, Standing::absent, too_slow(*before));
        continue;
      }
      double took = 0;
      const auto baseline = cell.candidate.value == 0 ? std::nullopt : std::optional(baselines.at(text));
      auto trial = arena.check(id, baseline, took);
      const auto outcome = trial.outcome;
      const auto detail = trial.detail;
      recorder.add_trial(std::move(trial));
      if (outcome != Outcome::ok) {
        recorder.set_standing(id, outcome == Outcome::wrong ? Standing::wrong : Standing::failed, detail);
      } else if (took > options_.allowance) {
        slow.push_back({cell.candidate, cell.setting, took});
        recorder.set_standing(id, Standing::absent, too_slow(slow.back()));
      }
    }
    return true;
  }

  std::string too_slow(const TooSlow& slow) const {
    const auto where = slow.at.text();
    return "a call took " + to_string(Level{std::round(slow.took * 1e4) / 1e4}) + " s" +
           (where.empty() ? "" : " at " + where) + ", " + to_string(Level{options_.allowance}) +
           " s are allowed; it is left out there and at all larger sizes";
  }

  /// The answers must still be what they were.
  void check_again(Recorder& recorder, Arena& arena) const {
    const auto record = recorder.record();
    std::set<CellId> baselines_done;
    for (const auto& contrast : record.contrasts) {
      if (record.cells[contrast.baseline.place()].standing != Standing::sound ||
          record.cells[contrast.candidate.place()].standing != Standing::sound)
        continue;
      double took = 0;
      if (baselines_done.insert(contrast.baseline).second)
        recorder.add_trial(arena.check(contrast.baseline, {}, took));
      auto trial = arena.check(contrast.candidate, contrast.baseline, took);
      const auto outcome = trial.outcome;
      const auto detail = "at the end " + trial.detail;
      recorder.add_trial(std::move(trial));
      if (outcome != Outcome::ok)
        recorder.set_standing(contrast.candidate,
                              outcome == Outcome::wrong ? Standing::wrong : Standing::failed, detail);
    }
  }

  const Contest::Parts& parts_;
  const Options& options_;
  std::vector<Setting> settings_;
  std::vector<Player> players_;
};

}  // namespace

Findings Contest::run(const Options& options) const { return Running(*parts_, options).run(); }

}  // namespace assay::contest
