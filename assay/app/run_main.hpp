#pragma once

#include <string>
#include <vector>

#include "assay/contest/contest.hpp"

namespace assay::app {

/// The whole front of a contest program: reads its options, runs the contest, shows what was found. Returns
/// the exit status: 0 done, 2 the request or the contest is wrong, 3 nothing could be compared, 130
/// interrupted.
///
///   --rounds 7..60   --budget 2s (for each setting)   --margin 1%   --only locks=400   --seed N
///   --allowance 200ms   --no-twin   --where   --json   --ledger FILE   --resume   --when-busy wait|go-on
///
/// `--where` goes on with rounds that are sampled, of the setting whose time has changed most, and shows which functions
/// inside of the compared ones the change is in: 20 rounds in 10 s, or as many and as long as is asked for.
///
/// Ctrl-C ends the round and shows provisional findings. When ASSAY_SAMPLES names a descriptor, every round's
/// readings are written there as JSON lines (docs/samples.md), so that a plan can take a contest program as a
/// workload.
int run_main(const contest::Contest& contest, int argc, char** argv);

}  // namespace assay::app

namespace assay {
using app::run_main;
}
