#include "assay/report/history_text.hpp"

#include <algorithm>
#include <array>
#include <chrono>
#include <cmath>
#include <ctime>

#include "assay/model/text.hpp"
#include "assay/report/format.hpp"

namespace assay::report {

namespace {

std::string counted(std::size_t count, const std::string& what) {
  return std::to_string(count) + " " + what + (count == 1 ? "" : "s");
}

const CommitFacts& commit_at(const History& history, const HistoryLine& line, std::size_t point) {
  return history.commits[line.points[point].commit_index];
}

std::string interval_text(const HistoryLine& line, const Interval& interval) {
  return range_text(interval, line.metric.scale, line.metric.unit);
}

Verdict tone_of(const HistoryLine& line, const Effect& effect) {
  const double x = effect.transformed();
  const bool more = x > 0;
  return more == (line.metric.direction == Direction::higher) ? Verdict::better : Verdict::worse;
}

/// "between 3fa1c2e9 and 9be02112, 4 commits, two of which can't be measured".
std::string between(const History& history, const HistoryLine& line, std::size_t before, std::size_t after) {
  const auto first = line.points[before].commit_index, last = line.points[after].commit_index;
  const auto& to = history.commits[last];
  if (last - first == 1) return "with " + to.short_id() + " (" + to.subject + ")";
  const auto silent = std::ranges::count_if(history.unmeasurable, [&](const UnmeasurableCommit& s) {
    const auto place =
        std::ranges::find(history.commits, s.commit.id, &CommitFacts::id) - history.commits.begin();
    return static_cast<std::size_t>(place) > first && static_cast<std::size_t>(place) < last;
  });
  return "between " + history.commits[first].short_id() + " and " + to.short_id() + ", " +
         counted(last - first, "commit") +
         (silent == 0 ? "" : ", " + std::to_string(silent) + " of which can't be measured");
}

HistorySentence change_text(const History& history, const HistoryLine& line, const HistoryStep& step) {
  using Status = HistoryStep::Status;
  const bool is_claimed = step.status == Status::confirmed || step.status == Status::drift;
  const auto change = is_claimed && step.measured
                          ? at_least_text(step.effect, step.measured->interval, line.metric.unit)
                          : change_of_effect(line, step.effect);
  const auto interval =
      step.measured ? " (" + interval_text(line, step.measured->interval) + ")" : std::string{};
  switch (step.status) {
    case Status::confirmed: {
      auto text = change + interval + " " + between(history, line, step.before, step.after) +
                  "; confirmed by " + counted(step.measured->rounds, "round") + " of a campaign of its own";
      if (commits_of(line, step) > 1)
        text += "; which one: assay locate --good " + commit_at(history, line, step.before).short_id() +
                " --bad " + commit_at(history, line, step.after).short_id() +
                (tone_of(line, step.effect) == Verdict::better ? " --better" : "");
      return {text, tone_of(line, step.effect)};
    }
    case Status::drift:
      return {change + interval + " bit by bit " + between(history, line, step.from, step.to) +
                  ": no single step of it could be confirmed",
              tone_of(line, step.effect)};
    case Status::refuted:
      return {"no step " + between(history, line, step.before, step.after) +
                  ", where one was suggested: " + change + interval,
              Verdict::unclear};
    case Status::open:
      return {"a step suggested " + between(history, line, step.before, step.after) +
                  " is neither confirmed nor ruled out: " + change + interval,
              Verdict::unclear};
    case Status::proposed:
      return {"a step of about " + change + " is suggested " +
                  between(history, line, step.before, step.after) + ", and not measured yet",
              Verdict::unclear};
  }
  return {};
}

}  // namespace

std::string line_label(const History& history, const HistoryLine& line) {
  const bool several = std::ranges::any_of(history.lines, [&](const HistoryLine& other) {
    return other.workload != line.workload || other.setting != line.setting;
  });
  const auto where = line.workload + (line.setting.empty() ? "" : ", " + line.setting);
  return several ? where + ": " + line.metric.name : line.metric.name;
}

std::string change_of_effect(const HistoryLine& line, const Effect& effect) {
  return effect_text(effect, line.metric.unit);
}

std::size_t commits_of(const HistoryLine& line, const HistoryStep& step) {
  return line.points[step.after].commit_index - line.points[step.before].commit_index;
}

std::vector<HistorySentence> sentences_of(const History& history, const HistoryLine& line) {
  std::vector<HistorySentence> all;
  for (const bool claimed : {true, false})
    for (const auto& step : line.steps) {
      const bool is_claimed =
          step.status == HistoryStep::Status::confirmed || step.status == HistoryStep::Status::drift;
      if (is_claimed == claimed) all.push_back(change_text(history, line, step));
    }
  if (line.points.empty()) return all;
  if (all.empty()) {
    const auto [low, high] = std::ranges::minmax_element(
        line.points, {}, [](const HistoryPoint& point) { return point.effect.transformed(); });
    all.push_back({"no step; its commits lie from " + change_of_effect(line, low->effect) + " to " +
                       change_of_effect(line, high->effect) + " of " + history.reference,
                   Verdict::same});
  }
  const auto& now = line.levels.back();
  const auto commits = now.end - now.first;
  all.push_back({"now " + change_of_effect(line, now.level) + " (" + interval_text(line, now.interval) +
                     ") against " + history.reference + ", at " +
                     (commits == 1 ? "" : "the last " + counted(commits, "commit") + ", up to ") +
                     commit_at(history, line, line.points.size() - 1).short_id(),
                 Verdict::same});
  return all;
}

std::string coverage_text(const History& history) {
  auto text = counted(history.measured, "commit") + " measured after " + history.reference + ", up to " +
              history.branch;
  if (!history.unmeasurable.empty())
    text += "; " + std::to_string(history.unmeasurable.size()) + " could not be measured";
  if (history.missing > 0) text += "; " + std::to_string(history.missing) + " are missing";
  if (history.measured_now > 0)
    text += "; " + std::to_string(history.measured_now) + " measured now, in " + duration(history.seconds);
  return text;
}

std::string status_text(HistoryStep::Status status) {
  switch (status) {
    case HistoryStep::Status::confirmed:
      return "confirmed";
    case HistoryStep::Status::drift:
      return "bit by bit";
    case HistoryStep::Status::refuted:
      return "ruled out";
    case HistoryStep::Status::open:
      return "neither confirmed nor ruled out";
    case HistoryStep::Status::proposed:
      return "not measured yet";
  }
  return {};
}

std::string break_text(const HistoryLine& line, const HistoryBreak& change) {
  switch (change.kind) {
    case HistoryBreak::Kind::machine:
      return "another machine";
    case HistoryBreak::Kind::reference:
      return "another program of the reference (compiler, or flags)";
    case HistoryBreak::Kind::definition:
      return counted(change.commits, "commit") + (change.commits == 1 ? " was" : " were") +
             " measured with another definition of " + line.workload + ": left out, a new line begins";
  }
  return {};
}

std::vector<std::string> notes_of(const History& history) {
  std::vector<std::string> notes;
  if (history.off_branch > 0)
    notes.push_back(
        counted(history.off_branch, "commit") +
        " with values not on this line: on other branches, or gone with a branch that was rewritten");
  for (const auto& line : history.lines) {
    const auto name = line_label(history, line);
    for (const auto& change : line.breaks) {
      auto text = name + ": " + break_text(line, change);
      if (change.shift)
        text += "; " + counted(change.overlapping_commits, "commit") + " measured on both sides differ by " +
                change_of_effect(line, *change.shift) + ", which is taken out";
      else if (change.kind != HistoryBreak::Kind::definition)
        text += "; no commit was measured on both sides, so " + counted(change.commits, "value") +
                (change.commits == 1 ? " is" : " are") + " left out";
      notes.push_back(text);
    }
    for (const auto& point : line.points)
      if (point.heterogeneous)
        notes.push_back(name + ": " + history.commits[point.commit_index].short_id() + " was measured by " +
                        counted(point.campaigns, "campaign") + ", which differ by more than chance");
  }
  return notes;
}

namespace {

constexpr std::size_t longest_subject = 60;

std::string count_text(std::size_t count, const std::string& what) {
  return std::to_string(count) + " " + what + (count == 1 ? "" : "s");
}

std::string place_text(const CommitSearchResult& located) {
  return located.workload + (located.setting.empty() ? "" : ", " + located.setting);
}

std::string change_of(const CommitSearchResult& located, const CommitsCompared& compared) {
  return located.metric.name + " " + effect_text(compared.effect, located.metric.unit) + " (" +
         range_text(compared.interval, compared.effect.scale, located.metric.unit) + ", " +
         count_text(compared.rounds, "round") + ")";
}

std::string probability_text(double probability) {
  constexpr double nearly_all = 0.995;
  return probability >= nearly_all ? "over 99 %" : short_number(std::round(100 * probability)) + " %";
}

std::string whole_text(const CommitSearchResult& located) {
  return located.bad + " against " + located.good + " on " + place_text(located) + ": " +
         change_of(located, located.end_to_end);
}

void add_run(const CommitSearchResult& located, const CommitSearchStep& step,
             std::vector<std::string>& lines) {
  for (const auto& commit : step.commits) {
    const auto silent = std::ranges::find_if(
        located.unmeasurable, [&](const UnmeasurableCommit& s) { return s.commit.id == commit.id; });
    lines.push_back("  " + commit_text(commit) +
                    (step.is_merge ? " (a merge; --all looks into its branch)" : ""));
    if (silent != located.unmeasurable.end())
      lines.push_back("    can't be measured: " +
                      printable_line(silent->reason.substr(0, silent->reason.find('\n')), 200));
  }
}

void add_step(const CommitSearchResult& located, const CommitSearchStep& step,
              std::vector<std::string>& lines) {
  const auto who = step.commits.size() == 1 ? step.commits.front().short_id()
                                            : "one of " + std::to_string(step.commits.size()) + " commits";
  const auto what = place_text(located) + " " + verdict_phrase(located.metric, located.smallest_change);
  if (step.confirmed) {
    lines.push_back(who + " made " + what + ": " + change_of(located, *step.confirmation) + " against " +
                    step.confirmation->before + " before it; confirmed by a campaign of its own");
  } else if (step.confirmation) {
    lines.push_back("the search leads to " + who +
                    ", and a campaign of its own does not confirm that it made " + what + ": " +
                    change_of(located, *step.confirmation) + " against " + step.confirmation->before +
                    " before it; several smaller steps would look like this");
  } else {
    lines.push_back("not sure yet; likeliest to have made " + what + ": " + who + ", " +
                    probability_text(step.probability));
  }
  add_run(located, step, lines);
}

}  // namespace

std::string iso_date(std::int64_t seconds) {
  const auto time = static_cast<std::time_t>(seconds);
  std::tm parts{};
  if (gmtime_r(&time, &parts) == nullptr) return {};
  std::array<char, 32> text{};
  const auto length = std::strftime(text.data(), text.size(), "%Y-%m-%d", &parts);
  return {text.data(), length};
}

std::string commit_text(const CommitFacts& commit) {
  return commit.short_id() + " " + printable_line(commit.subject, longest_subject) + ", " +
         iso_date(commit.time);
}

std::string sparkline(const std::vector<double>& figures, std::size_t width) {
  static constexpr std::array<const char*, 8> blocks = {"▁", "▂", "▃", "▄", "▅", "▆", "▇", "█"};
  if (figures.empty() || width == 0) return {};
  const auto cells = std::min(width, figures.size());
  const double most = std::max(std::ranges::max(figures), 1e-12);
  std::string text;
  for (std::size_t cell = 0; cell < cells; ++cell) {
    const auto first = figures.begin() + static_cast<std::ptrdiff_t>(cell * figures.size() / cells);
    const auto end = figures.begin() + static_cast<std::ptrdiff_t>((cell + 1) * figures.size() / cells);
    const double here = *std::max_element(first, end) / most;
    text += blocks[std::min(blocks.size() - 1,
                            static_cast<std::size_t>(here * static_cast<double>(blocks.size())))];
  }
  return text;
}

std::vector<std::string> located_lines(const CommitSearchResult& located) {
  using Status = CommitSearchResult::Status;
  std::vector<std::string> lines;
  const auto phrase =
      located.metric.name.empty() ? std::string{} : verdict_phrase(located.metric, located.smallest_change);
  if (located.metric.name.empty()) {
    lines.push_back("interrupted before good and bad were compared");
    return lines;
  }
  switch (located.status) {
    case Status::no_change:
      lines.push_back("no change between " + located.good + " and " + located.bad +
                      ": there is nothing to look for");
      break;
    case Status::opposite_direction:
      lines.push_back(located.bad + " is not " + phrase + " than " + located.good +
                      " but the other way: were they exchanged? " +
                      (located.smallest_change == Verdict::worse
                           ? "--better looks for what made it so"
                           : "without --better, what made it worse is looked for"));
      break;
    case Status::unclear:
      lines.push_back("it is not known whether " + located.bad + " is " + phrase + " than " + located.good +
                      ": more rounds, or a larger budget, in the plan's [rounds]");
      break;
    case Status::found:
    case Status::inconclusive:
      for (const auto& step : located.steps) add_step(located, step, lines);
      if (located.interrupted && located.steps.empty())
        lines.push_back("interrupted before one was sure enough");
      break;
  }
  lines.push_back("in all, " + whole_text(located));
  if (located.status == Status::found || located.status == Status::inconclusive) {
    lines.push_back(
        count_text(located.commits, "commit") + " between them; " + count_text(located.builds, "commit") +
        " tried with " + count_text(located.pairs, "pair") + " of runs" +
        (located.earlier_pairs > 0 ? ", " + std::to_string(located.earlier_pairs) + " from before" : "") +
        (located.unmeasurable.empty()
             ? ""
             : ", " + std::to_string(located.unmeasurable.size()) + " gave no values") +
        "; " + duration(located.seconds));
    constexpr double layouts_play = 0.05;
    if (located.end_to_end.layouts == 0 && located.end_to_end.effect.is_ratio() &&
        std::fabs(located.end_to_end.effect.change()) < layouts_play)
      lines.push_back(
          "note: below 5 %, where the linker happened to put a loop can look like a change of the source");
  }
  return lines;
}

}  // namespace assay::report
