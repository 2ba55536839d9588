#include "assay/app/progress.hpp"

#include <unistd.h>

#include <algorithm>
#include <cmath>
#include <iostream>
#include <sstream>
#include <string>

#include "assay/judge/notes.hpp"
#include "assay/report/advice.hpp"
#include "assay/report/format.hpp"
#include "assay/report/history_text.hpp"
#include "assay/report/note_text.hpp"
#include "assay/report/way_text.hpp"

namespace assay::app {

namespace {

/// Past the guard of std::cerr: to the line's start, and clears it.
constexpr const char* back_to_start = "\r\x1b[K";

using Phase = engine::Progress::Phase;

std::string line_for(const engine::Progress& progress, const std::string& cell) {
  const auto of =
      std::to_string(progress.done) + (progress.planned > 0 ? " of " + std::to_string(progress.planned) : "");
  if (progress.phase == Phase::checking) return "checking the work, " + of + " done; now " + cell;
  std::string line = "round " + of + " done";
  if (progress.role == Role::warm_up) line = "warming up";
  if (progress.role == Role::pilot) line = "pilot rounds, to choose how to run the programs";
  if (progress.decided > 0)
    line +=
        ", " + std::to_string(progress.decided) + " of " + std::to_string(progress.comparisons) + " decided";
  if (progress.processes > 1) line += ", by " + std::to_string(progress.processes) + " runners";
  if (progress.seconds_left) line += ", at most " + report::duration(*progress.seconds_left) + " left";
  return line + "; now " + cell;
}

}  // namespace

ProgressLine::ProgressLine() : terminal_(isatty(STDERR_FILENO) == 1) {}

ProgressLine::~ProgressLine() { clear(); }

void ProgressLine::on_message(const std::string& text) {
  clear();
  std::istringstream lines(text);
  for (std::string line; std::getline(lines, line);) std::cerr << "assay: " << line << "\n";
}

void ProgressLine::on_busy(engine::WhenBusy what, const std::string& who) {
  on_message("another campaign is measuring on this machine" + (who.empty() ? "" : " (" + who + ")") + "; " +
             (what == engine::WhenBusy::wait ? "waiting for its end (--when-busy go-on measures beside it)"
                                             : "going on beside it"));
}

void ProgressLine::on_start(const Design& design) {
  name_cells_by(design);
  for (const auto& candidate : design.candidates)
    if (!candidate.from.identity.empty() && !candidate.twin_of)
      on_message(candidate.name + " is " + candidate.from.identity);
  for (const auto& note : judge::build_notes(design)) {
    const auto [about, text] = report::note_text(design, note);
    on_message((note.level == Note::Level::warning ? "warning, " : "") + about + ": " + text);
  }
}

void ProgressLine::on_ways(const std::vector<WayChoice>& ways, const Design& design) {
  if (design.kind == CampaignKind::duel) return;  // its results, which say it, come soon
  for (const auto& line : report::way_lines(design, ways)) on_message(line);
}

void ProgressLine::on_forecast(const Forecast& outlook, const Design& design) {
  on_message(report::forecast_lines(outlook, design));
}

void ProgressLine::on_progress(const engine::Progress& progress) {
  show(line_for(progress, report::cell_label(names_, progress.cell)));
}

void ProgressLine::show(const std::string& line) {
  constexpr auto now_and_then = std::chrono::seconds(10);
  const auto now = std::chrono::steady_clock::now();
  if (!terminal_ && now - last_ < now_and_then) return;
  last_ = now;
  if (terminal_) {
    std::clog << back_to_start << std::flush;
    std::cerr << (report::display_width(line) > 99 ? report::pad_right(line, 99) : line) << std::flush;
  } else {
    std::cerr << "assay: " << line << "\n";
  }
  shown_ = true;
}

void ProgressLine::clear() {
  if (terminal_ && shown_) std::clog << back_to_start << std::flush;
  shown_ = false;
}

void HistoryProgress::on_search(const engine::SearchProgress& search) {
  constexpr std::size_t width = 40;
  const auto likeliest = std::ranges::max_element(search.probability);
  const auto place = static_cast<std::size_t>(likeliest - search.probability.begin());
  line_.show(report::sparkline(search.probability, width) + " " + std::to_string(search.pairs) + " pairs; " +
             search.commits[place].short_id() + " " + std::to_string(std::lround(100 * *likeliest)) +
             " %; now " + search.now.short_id());
}

}  // namespace assay::app
