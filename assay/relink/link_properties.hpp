#pragma once

#include <optional>
#include <string>
#include <vector>

#include "assay/relink/code_map.hpp"
#include "assay/relink/random_gaps.hpp"

namespace assay::relink {

/// How the layouts of a program can be made.
enum class LayoutMethod {
  common,   ///< GNU ld: every function is placed, at the same address in all candidates
  shuffled  ///< gold, lld, or a script of the user's own: order and gaps are drawn for each program by itself
};

/// What was found out of a link when it was proved.
struct LinkProperties {
  LayoutMethod method = LayoutMethod::common;
  ShuffleMethod shuffler = ShuffleMethod::gaps_only;
  bool own_script = false;                 ///< the link has a script of the user's
  std::string linker;                      ///< what it says it is
  std::string script;                      ///< the linker's own, of a common way
  std::vector<CodePiece> pieces;           ///< likewise
  std::vector<std::string> section_names;  ///< that gold puts in order
  double seconds = 0;                      ///< that one link took
};

/// Keeps what is known in a file, and reads it back: empty where there is none, or it means nothing. What
/// can't be written is found out once more.
void save_properties(const LinkProperties& known, const std::string& file);
std::optional<LinkProperties> read_properties(const std::string& file);

}  // namespace assay::relink
