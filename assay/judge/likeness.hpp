#pragma once

#include <optional>
#include <vector>

#include "assay/model/design.hpp"
#include "assay/model/note.hpp"

namespace assay::judge {

/// Why comparing this candidate with its baseline is comparing a program with itself: the same commit, the
/// same bytes under two paths, or the same program told the same. Empty when it is not.
std::optional<NoteKind> same_program_kind(const Design& design, const Candidate& candidate);

/// In what candidates differ from their baselines besides what is compared, or don't differ where they
/// should: built by another compiler, with other options of optimisation, code generation or definitions,
/// with a sanitizer; other bytes under one identity. An option that the candidate's own `with` names is
/// meant. Compilers and options are compared where both are known.
std::vector<Note> build_differences(const Design& design);

/// Everything of this kind that should be known before a second is spent, in the order of the candidates.
std::vector<Note> build_notes(const Design& design);

}  // namespace assay::judge
