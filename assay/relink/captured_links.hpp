#pragma once

#include <string>
#include <vector>

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

}  // namespace assay::relink
