#include "assay/report/located.hpp"

#include <algorithm>
#include <array>
#include <chrono>
#include <cmath>
#include <ctime>

#include "assay/model/printable.hpp"
#include "assay/report/figures.hpp"
#include "assay/report/units.hpp"
#include "assay/report/words.hpp"

namespace assay::report {
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
    lines.push_back("interrupted before good and bad could be held against each other");
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
      lines.push_back("it can't be told whether " + located.bad + " is " + phrase + " than " + located.good +
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
             : ", " + std::to_string(located.unmeasurable.size()) + " told nothing") +
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
