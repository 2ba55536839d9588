#include <cmath>

#include "assay/model/enum_names.hpp"
#include "assay/report/format.hpp"
#include "assay/report/note_text.hpp"
#include "assay/report/sentence.hpp"

namespace assay::report {

LabelledText note_text(const Design& design, const GateReason& reason) {
  auto about = subject_label(design, reason.subject);
  if (reason.metric) about += ", " + design.metrics[*reason.metric].name;
  const auto first_line = [&] {
    const auto lines = split_lines(reason.detail);
    return lines.empty() ? std::string{} : lines.front();
  };
  switch (reason.kind) {
    case GateReason::Kind::wrong:
      return {about, "its answer is wrong: " + first_line()};
    case GateReason::Kind::failed:
      return {about, "it failed: " + first_line()};
    case GateReason::Kind::no_finding:
      return {about, "there are too few rounds to judge it"};
    case GateReason::Kind::cut_off:
      return {about, "it was cut off before its end"};
    case GateReason::Kind::nothing_to_do:
      return {about, "nothing was compared"};
    case GateReason::Kind::requirement: {
      const auto& demand = design.metrics[*reason.metric].request;
      return {about, "required " + (demand.require ? demand.require->text : "") + ", is " +
                         to_string(reason.required) + " (typically " + exact_number(reason.typical) + ")"};
    }
    case GateReason::Kind::change:
      break;
  }
  const auto& metric = design.metrics[*reason.metric];
  const auto change = [&](double value) {
    const Effect effect{metric.scale, value};
    return effect.is_ratio() ? percent_change(effect.change()) : exact_number(value) + " " + metric.unit;
  };
  const double bad_end = metric.direction == Direction::higher ? reason.interval.low : reason.interval.high;
  const auto allowed = change(reason.limit.value) + " is allowed";
  switch (reason.status) {
    case GateStatus::passed:
      return {about, change(reason.effect.value) + ", at worst " + change(bad_end) + "; " + allowed};
    case GateStatus::failed:
      return {about, change(reason.effect.value) + " (" + change(reason.interval.low) + " … " +
                         change(reason.interval.high) + "); " + allowed};
    case GateStatus::undecided:
      break;
  }
  const bool none = reason.effect == Effect::none(metric.scale);
  return {about, (none ? "no change seen" : change(reason.effect.value)) + ", at worst " +
                     (std::isfinite(bad_end) ? change(bad_end) : "unknown") + "; " + allowed};
}

}  // namespace assay::report
