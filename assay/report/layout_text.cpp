#include "assay/report/layout_text.hpp"

#include <fmt/format.h>

#include "assay/report/figures.hpp"
#include "assay/report/sentences.hpp"
#include "assay/report/units.hpp"

namespace assay::report {
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
    return "its linker can't be told where to put a function: its layouts are drawn for it alone, which "
           "spreads its values more than layouts in common";
  return spread_text(note, metric);
}

}  // namespace assay::report
