#pragma once

#include <string>
#include <vector>

#include "assay/model/design.hpp"
#include "assay/model/results.hpp"

namespace assay::render {

/// A gate's answer in a sentence, without a full stop.
std::string headline(const GateResult& gate);

/// Its reasons, a line each; those that passed are counted unless `all` asks for them. `design` is that of
/// the campaign that was held against it.
std::vector<std::string> reasons_of(const GateResult& gate, const Design& design, bool all);

/// Both.
std::string to_text(const GateResult& gate, const Design& design, bool all = false);

/// The same as a JUnit XML document: a test case for each reason; an undecided one is skipped, or fails where
/// the gate does not let it pass.
std::string to_junit(const GateResult& gate, const Design& design);

}  // namespace assay::render
