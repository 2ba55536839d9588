#pragma once

#include <functional>
#include <stop_token>

#include "assay/model/results.hpp"

namespace assay::setup {

/// What this machine is like to measure on: its facts, what a launch and a clock cost, which metrics can't be
/// had, and, where `probe` says so, how unsteady work of five lengths is and what a duel of a minute could
/// settle.
///
/// `tell` is called before each length with its place and how many there are. A stop request ends the probe
/// early; what it has found so far is returned. Throws Error(measuring). Cost: 0.1 s, and ten seconds for the
/// probe.
Conditions assess_machine(bool probe, const std::stop_token& stop = {},
                          const std::function<void(int place, int of)>& on_probe = {});

}  // namespace assay::setup
