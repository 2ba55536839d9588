#pragma once

#include <string>
#include <vector>

#include "assay/model/conditions.hpp"

namespace assay::render {

/// Plain sentences: the smallest change a one-minute duel can decide here, and what would help. A hint is
/// given for: more than 5 % of CPU time taken by the host, more than 10 % by other programs, battery, a
/// frequency governor that is not "performance", abreast at less than half the spread of in turns, longer
/// work at less than half the spread of shorter.
std::vector<std::string> advice(const Conditions& conditions);

std::string to_text(const Conditions& conditions);
std::string to_json(const Conditions& conditions);

}  // namespace assay::render
