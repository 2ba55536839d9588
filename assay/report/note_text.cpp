#include "assay/report/note_text.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "assay/model/enum_names.hpp"
#include "assay/report/format.hpp"
#include "assay/report/sentence.hpp"

namespace assay::report {

namespace {

std::string most_of(std::size_t cells, const char* how = "the most of") {
  return cells > 1 ? fmt::format(" ({} {} cells)", how, cells) : std::string{};
}

std::string level_text(const std::string& levels) {
  return levels == "-O0" ? "without optimisation" : "with " + levels;
}

/// The words of one note, with its figures at hand.
class NoteWriter {
 public:
  NoteWriter(const Design& design, const Note& note)
      : design_(design), note_(note), figure_(note.value.value_or(0)), count_(note.count) {
    if (note.metric) metric_ = design.metrics[*note.metric].name;
    if (const auto* candidate = std::get_if<CandidateId>(&note.subject))
      if (const auto against = design.candidates[*candidate].baseline)
        baseline_ = design.candidates[*against].name;
  }

  std::string text() const {
    switch (note_.kind) {
      case NoteKind::same_commit:
        return "it is the same commit as " + baseline_;
      case NoteKind::same_commit_program:
        return "its program is that of " + baseline_ +
               ", byte for byte: the commits differ in nothing that is built";
      case NoteKind::same_program:
        return "its program is that of " + baseline_ + ", byte for byte; was one of them not built anew?";
      case NoteKind::same_command:
        return "it is " + baseline_ + " itself: the same program with the same arguments";
      case NoteKind::other_compiler:
        return "is built by another compiler than " + baseline_ + ": " + note_.quoted + ", not " +
               note_.quoted_other;
      case NoteKind::other_optimisation:
        return "is built " + level_text(note_.quoted) + ", " + baseline_ + " " +
               level_text(note_.quoted_other) + ": that alone makes a difference";
      case NoteKind::other_options:
        if (note_.quoted.empty())
          return "is built without " + note_.quoted_other + ", which " + baseline_ + " has";
        return "is built with " + note_.quoted + ", which " + baseline_ + " is not" +
               (note_.quoted_other.empty() ? "" : "; it lacks " + note_.quoted_other);
      case NoteKind::same_identity:
        return "same identity as " + baseline_ + ", \"" + note_.quoted + "\"" +
               (is_its_program() ? "; the arguments differ: does each serve what it is taken for?"
                                 : ", and other bytes: is each the build it is taken for?");
      case NoteKind::weak_check:
        return note_.quoted;
      case NoteKind::output_differs:
        return "its output differs from the baseline's" +
               (note_.quoted.empty() ? "" : " (" + note_.quoted + ")") +
               (note_.quoted.ends_with("accepts both") ? "" : ", so the two may not have done the same job");
      case NoteKind::orphan_processes:
        return fmt::format(
            "left processes running in {} of its trials; they were killed ({:.0f} in all) and what "
            "they would have done is not measured",
            count_, figure_);
      case NoteKind::intermittent_failure:
        return fmt::format("failed in {:.0f} of {} trials; those rounds are left out", figure_, count_);
      case NoteKind::intermittent_timeout:
        return fmt::format("ran into its time limit in {:.0f} of {} trials; they count as that long", figure_,
                           count_);
      case NoteKind::aa_difference:
      case NoteKind::aa_chance:
      case NoteKind::aa_unconfirmed:
        return twin_text(note_, metric_);
      case NoteKind::too_few_rounds:
        return fmt::format(
            "{} is not judged: only {:.0f} complete rounds with the baseline, {:.0f} are needed", metric_,
            figure_, note_.threshold.value_or(0));
      case NoteKind::not_positive:
        return metric_ + " is not judged: some of its values are not above zero";
      case NoteKind::too_coarse:
        return metric_ +
               " is not judged: the kernel samples it by ticks, too coarse below a second; watch cpu time";
      case NoteKind::not_exact:
        return "was declared exact, but varied from trial to trial; it is judged as noisy";
      case NoteKind::at_saturation:
        return "is at the declared ceiling of " + exact_number(note_.threshold.value_or(0)) + " of " +
               metric_;
      case NoteKind::beyond_saturation:
        return metric_ + " reaches " + short_number(figure_) + ", beyond its declared ceiling of " +
               exact_number(note_.threshold.value_or(0)) + ": is that declared wrongly?" + most_of(count_);
      case NoteKind::drifts_in_trial:
        return lead_in_text();
      case NoteKind::unpaired:
        return "not side by side: its values and the baseline's are not paired, so whatever changed between "
               "them is in the difference";
      case NoteKind::layout_alone:
      case NoteKind::layout_spread:
      case NoteKind::layout_spread_at_most:
      case NoteKind::layouts_repeat:
      case NoteKind::layout_kept:
      case NoteKind::layouts_shuffled:
        return layout_text(note_, metric_);
      case NoteKind::analysis_failed:
        return "could not be computed: " + note_.quoted;
      case NoteKind::test_disagreement:
        return "the Brunner-Munzel test, which lets the spreads differ, says otherwise";
      case NoteKind::machines_differ:
        return "its change of " + metric_ +
               " is not the same on each machine (p = " + exact_number(std::round(figure_ * 1e4) / 1e4) + ")";
      case NoteKind::drift:
        return metric_ + " " + (figure_ > 0 ? "rose" : "fell") + " by " + percent(figure_) +
               " from the first rounds to the last; pairs cancel that, typical values don't" +
               most_of(count_);
      case NoteKind::multimodal:
        return metric_ +
               " gathers around more than one value, as of two states of the program or machine; see its "
               "trials" +
               most_of(count_);
      case NoteKind::outliers:
        return percent(figure_) + " of its values of " + metric_ +
               " lie far out; they are kept, and hardly move what is typical, but the mean" + most_of(count_);
      case NoteKind::autocorrelation:
        return "its changes of " + metric_ + " in neighbouring rounds are alike (correlation " +
               exact_number(std::round(figure_ * 100) / 100) + "), so its interval may be too narrow" +
               most_of(count_);
      case NoteKind::position_effect:
        return "what runs first in a round has " + percent(figure_) + " " +
               (figure_ > 0 ? "more " : "less ") + metric_ +
               " than what runs later; the order is shuffled, so no candidate gains by it";
      case NoteKind::carry_over:
        return "what runs right after it has " + percent(figure_) + (figure_ > 0 ? " more " : " less ") +
               metric_ + " than what runs after others, which shifts its own change by up to " +
               percent(figure_ / 2) + "; a pause before each trial (pause = \"50 ms\", or --pause) may help" +
               most_of(count_);
      case NoteKind::first_run:
        return "the first run had " +
               (figure_ >= 1 ? short_number(1 + figure_) + " times the " + metric_ + " of"
                             : percent(figure_) + (figure_ > 0 ? " more " : " less ") + metric_ + " than") +
               " later ones; it is left out";
      case NoteKind::short_trials:
        return "a trial takes " + exact_number(std::round(figure_ * 1e5) / 100) +
               " ms, and starting a program is much of that: a change of the work itself is larger than it "
               "shows" +
               most_of(count_, "the shortest of");
      case NoteKind::saturation:
        return percent(figure_) + " of the values of " + metric_ +
               " on both sides lie at one upper end: something may limit them, and hide a difference";
      case NoteKind::stolen_time:
        return "its host took " + percent(figure_) + " of its CPU time from it during the trials";
      case NoteKind::busy:
        return "other programs used " + percent(figure_) + " of its CPU time during the trials";
      case NoteKind::load:
        return "a load of " + short_number(figure_) + " was on its " +
               short_number(note_.threshold.value_or(1)) + " cores when trials began (median)";
      case NoteKind::frequency:
        return "its cores' frequency varied by " + percent(figure_);
      case NoteKind::throttled:
        return "its cores throttled " + short_number(figure_) + " times during the trials";
      case NoteKind::on_battery:
        return "it ran on battery";
      case NoteKind::page_cache_not_dropped:
        return "of a file declared cold, up to " + percent(figure_) + " stayed in the page cache";
      case NoteKind::counters_shared:
        return "its hardware counters took turns and were on for " + percent(1 - figure_) +
               " of the time; counts are scaled up";
      case NoteKind::concurrent_campaign:
        return "another campaign was measuring on it at the same time";
      case NoteKind::unwaited_children:
        return short_number(figure_) +
               " s of CPU time belong to children that their parents did not wait for, and are not in cpu "
               "time";
      case NoteKind::costly_output:
        return "writing its output takes about " + percent(figure_) +
               " of its wall time; with keep_output = false it goes nowhere, at less cost";
      case NoteKind::discarded_trials:
        return fmt::format("{:.0f} trials are void: {}", figure_, note_.quoted);
      case NoteKind::concurrency_bias:
        return "as they were run its " + metric_ + " is " + short_number(figure_) +
               " of the baseline's, in turns " + short_number(note_.low) + " to " + short_number(note_.high) +
               ": they get in each other's way; measure in turns";
      case NoteKind::rate_not_sustained:
        return fmt::format(
            "does not sustain {} requests a second: it answers {} (in {} of {:.0f} rounds); its latencies "
            "there tell "
            "how long the load lasted, and are not judged",
            short_number(note_.threshold.value_or(0)), short_number(figure_), count_, note_.high);
      case NoteKind::clients_idle:
        return "its clients had a request under way for " + percent(figure_) +
               " of their time: differences in the rate of requests show at about that share; CPU and "
               "latency "
               "are not diluted" +
               most_of(count_);
      case NoteKind::driver_saturated:
        return "sending its requests took " + percent(figure_) +
               " of a core: the rate may be the limit of what sends them, not of the server" +
               most_of(count_);
      case NoteKind::driver_beside:
        return "sending its requests took " + short_number(figure_) +
               " times the server's CPU time, on the server's own cores: both compete for them" +
               most_of(count_);
      case NoteKind::sent_late:
        return "one in a hundred of its requests was sent more than " +
               exact_number(std::round(figure_ * 1e5) / 100) + " ms" +
               " after it was due: the machine is too busy for this rate, and latencies are too long by "
               "that" +
               most_of(count_);
      case NoteKind::connections_used_up:
        return "all its connections were in use, so requests waited for one of them; more of them: "
               "connections "
               "= N" +
               most_of(count_);
      case NoteKind::reopened:
        return percent(figure_) +
               " of its requests needed a new connection: the server, or its settings, don't keep them open" +
               most_of(count_);
      case NoteKind::slow_connects:
        return "a connection took " + short_number(figure_) +
               " s to be made: its queue of new connections was full; a longer one (listen backlog) helps" +
               most_of(count_);
      case NoteKind::cpu_while_idle:
        return "it used " + percent(figure_) +
               " of a core while it was not asked, which disturbs the others" + most_of(count_);
      case NoteKind::changes_under_load:
        return "it gets " + std::string(figure_ > 0 ? "faster" : "slower") + " under load: its rate is " +
               (figure_ >= 1 ? short_number(1 + figure_) + " times as high"
                             : percent(std::abs(figure_)) + (figure_ > 0 ? " higher" : " lower")) +
               " in the last quarter of a trial; more requests (count, warmup) show where it levels off" +
               most_of(count_);
      case NoteKind::stalls:
        return "stalls cost it " + percent(figure_) +
               " of its requests a second, which the steady rate leaves out" + most_of(count_);
      case NoteKind::servers_reused:
        return "its server was kept up over the rounds: what differs from start to start is in the "
               "difference" +
               most_of(count_);
    }
    return {};
  }

 private:
  /// Whether the candidate is its baseline's program.
  bool is_its_program() const {
    const auto* id = std::get_if<CandidateId>(&note_.subject);
    if (id == nullptr || !design_.candidates[*id].baseline) return false;
    const auto& its = design_.candidates[*design_.candidates[*id].baseline].from;
    return design_.candidates[*id].from.exe_digest == its.exe_digest;
  }

  /// "frame rate falls from 38 to 34 within the first 2 s of its trials".
  std::string lead_in_text() const {
    const auto way = metric_ + (figure_ > 0 ? " falls" : " rises") + " from " + short_number(note_.low) +
                     " to " + short_number(note_.high);
    const bool timed = note_.quoted.starts_with('"');
    if (note_.quoted.empty()) return way + " in the course of its trials" + most_of(count_);
    return way + " within the first " +
           (timed ? note_.quoted.substr(1, note_.quoted.size() - 2) : note_.quoted + " values") +
           " of its trials; lead_in = " + note_.quoted + " leaves those out" + most_of(count_);
  }

  const Design& design_;
  const Note& note_;
  double figure_;
  std::size_t count_;
  std::string metric_, baseline_;
};

}  // namespace

LabelledText note_text(const Design& design, const Note& note) {
  auto about = subject_label(design, note.subject);
  for (const auto also : note.also_candidates) about += ", " + design.candidates[also].name;
  return {std::move(about), NoteWriter(design, note).text()};
}

namespace {

/// "layout alone moves its cpu time by about 2.1 % from build to build (…)", and what that means for a
/// change.
std::string spread_text(const Note& note, const std::string& metric) {
  const double sd = note.value.value_or(0);
  const auto layouts = fmt::format(" from build to build (standard deviation, {} layouts)", note.count);
  if (!(sd > 0)) return "layout alone moves its " + metric + " by less than noise lets be seen" + layouts;
  const auto text =
      (note.kind == NoteKind::layout_spread ? "layout alone moves its " + metric + " by about "
                                            : "layout and noise move its " + metric + " by at most ") +
      percent(sd) + layouts;
  if (!note.threshold) return text;
  return text + (note.low <= *note.threshold
                     ? "; one build of each could have shown its change by chance, or hidden it"
                     : "; its change is larger than 19 of 20 differences between two of its layouts (" +
                           percent(*note.threshold) + ")");
}

}  // namespace

std::string layout_text(const Note& note, const std::string& metric) {
  const double figure = note.value.value_or(0);
  if (note.kind == NoteKind::layout_alone)
    return "its change of " + metric + ", " + percent_change(figure) + ", is below " +
           percent(note.threshold.value_or(0)) +
           ": where the linker happens to put code can do as much between two builds; linking anew for each "
           "round averages that (relink = true in [build], or duel --commits with --relink), all but the "
           "luck of "
           "a hot function that was itself edited";
  if (note.kind == NoteKind::layouts_repeat)
    return fmt::format(
        "{}: {:.0f} rounds of {} layouts: rounds of one layout share its luck, so the layouts' means were "
        "judged; more layouts tell more (relink in [build], --relink=N)",
        metric, figure, note.count);
  if (note.kind == NoteKind::layout_kept) return "its layout is one build's: " + note.quoted;
  if (note.kind == NoteKind::layouts_shuffled)
    return "its linker accepts no place for a function: its layouts are drawn for it alone, which "
           "spreads its values more than layouts in common";
  return spread_text(note, metric);
}

}  // namespace assay::report
