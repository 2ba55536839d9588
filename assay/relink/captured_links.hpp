#pragma once

#include <optional>
#include <string>
#include <vector>

#include "assay/relink/address_plan.hpp"
#include "assay/relink/code_map.hpp"

namespace assay::relink {

/// A link that was seen while a program was built, with all that is needed to do it again.
struct CapturedLink {
  std::string linker;                    ///< the real one, absolute
  std::vector<std::string> arguments;    ///< without its own name; `@FILE` expanded, inputs as they were kept
  std::vector<std::string> kept;         ///< the inputs among them that were kept
  std::vector<std::string> named;        ///< the same, as the linker was given them
  std::string directory;                 ///< that it ran in
  std::vector<std::string> environment;  ///< `NAME=value`, what linkers and their plugins go by
  std::string output;                    ///< the file that it made, absolute
  std::string digest;                    ///< of that file, when it was made
};

/// The links that the shim has kept below `folder`, in the order of their folders' times.
std::vector<CapturedLink> captured_links(const std::string& folder);

/// The link that made a program: the last whose output had the program's bytes, best of all in its place;
/// else, of one that was stripped or installed, the last with its build id. nullptr: none was seen. The
/// pointer is into `links`.
const CapturedLink* link_of(const std::vector<CapturedLink>& links, const std::string& program);

/// The shared libraries below `folder` that a link names, by path or by -l and -L; canonical paths.
std::vector<std::string> libraries_of(const CapturedLink& link, const std::string& folder);

/// What kept links from being captured, in the shim's words, a line each; empty: nothing.
std::string capture_problems(const std::string& folder);

/// Lays the shim out below `folder`, once for each of its versions, under the names of the programs that it
/// stands in for, and returns the absolute folder that they are in. Throws Error where it can't be written.
std::string shim_folder(const std::string& folder);

/// What a build step's environment gets besides, so that its links are kept below `links` and each function
/// has a section of its own: `NAME=value`. `shim` is shim_folder()'s.
std::vector<std::string> capturing_environment(const std::string& shim, const std::string& links);

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
