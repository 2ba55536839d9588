#pragma once

#include "assay/model/evidence.hpp"
#include "assay/model/findings.hpp"

namespace assay::judge {

/// What the machine did to the trials, each note with its figure and threshold.
///
/// - The host took more than 5 % of the machine's CPU time; other programs used more than 10 % of it (told of
///   trials from 20 ms on); more were ready to run than there are cores (median over the trials).
/// - The cores' frequency varied by more than 10 %; a core throttled; it ran on battery; it slept.
/// - Files declared cold stayed in the page cache (more than 1 % of their pages).
/// - Children's CPU time that nobody waited for; output so large that writing it takes more than 1 % of the
///   wall time; hardware counters that shared the hardware for more than 10 % of the time.
/// - Programs that ran abreast compare otherwise in turns: the intervals of the two don't touch. That of the
///   rounds in turns is the signed-rank one, below six rounds (of at least three) Student's.
/// - Another campaign was at work.
void add_machine_notes(const Observations& evidence, Findings& findings);

}  // namespace assay::judge
