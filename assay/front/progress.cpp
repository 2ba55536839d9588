#include "assay/front/progress.hpp"

#include <unistd.h>

#include <iostream>
#include <sstream>

#include "assay/judge/likeness.hpp"
#include "assay/judge/trust.hpp"
#include "assay/render/axis.hpp"
#include "assay/render/units.hpp"

namespace assay::front {
namespace {

using Phase = campaign::Progress::Phase;

std::string line_for(const campaign::Progress& progress, const std::string& cell) {
  const auto of = std::to_string(progress.done) + " of " + std::to_string(progress.planned);
  if (progress.phase == Phase::checking) return "checking the work, " + of + " done; now " + cell;
  std::string line = "round " + of + " done";
  if (progress.settled > 0)
    line += ", " + std::to_string(progress.settled) + " of " + std::to_string(progress.findings) + " settled";
  if (progress.left) line += ", at most " + render::span_text(*progress.left) + " left";
  return line + "; now " + cell;
}

}  // namespace

ProgressLine::ProgressLine() : terminal_(isatty(STDERR_FILENO) == 1) {}

ProgressLine::~ProgressLine() { clear(); }

void ProgressLine::say(const std::string& text) {
  clear();
  std::istringstream lines(text);
  for (std::string line; std::getline(lines, line);) std::cerr << "assay: " << line << "\n";
}

void ProgressLine::begin(const Record& record) {
  names_ = record;
  names_.trials.clear();
  for (const auto& candidate : record.candidates)
    if (!candidate.from.identity.empty() && !candidate.twin_of)
      say(candidate.name + " is " + candidate.from.identity);
  for (const auto& note : judge::likeness_notes(record))
    say((note.level == TrustNote::Level::warning ? "careful, " : "") + note.about + ": " + note.text);
}

void ProgressLine::show(const campaign::Progress& progress) {
  constexpr auto now_and_then = std::chrono::seconds(10);
  const auto now = std::chrono::steady_clock::now();
  if (!terminal_ && now - last_ < now_and_then) return;
  last_ = now;
  const auto line = line_for(progress, judge::name_of(names_, progress.cell));
  if (terminal_)
    std::cerr << "\r\x1b[K" << (render::cells_of(line) > 99 ? render::left(line, 99) : line) << std::flush;
  else
    std::cerr << "assay: " << line << "\n";
  shown_ = true;
}

void ProgressLine::clear() {
  if (terminal_ && shown_) std::cerr << "\r\x1b[K" << std::flush;
  shown_ = false;
}

}  // namespace assay::front
