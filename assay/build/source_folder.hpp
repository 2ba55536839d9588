#pragma once

#include <cstdint>
#include <optional>
#include <string>

namespace assay::build {

/// A source as it was found: what a build of it is called by, and what it came from.
struct Source {
  std::string tree;  ///< names its content: equal trees, equal texts
  std::string
      commit;         ///< full id; of a working tree, that of a commit made of it in the cache; empty: no git
  std::string title;  ///< "3f2a91c Scan the frontier as a list"; empty without git
  std::optional<std::int64_t> time;  ///< of the commit, seconds since 1970
  std::string note;                  ///< what should be known of it; empty: nothing
  std::string folder;                ///< of a source without git: the folder itself
  std::string subfolder;             ///< path of `${source}` below the root of the repository
};

/// A folder without git. Its content, but for `.git` and `.assay`, is copied into the cache, so that building
/// it leaves the folder as it was. Throws Error when it can't be read. Cost: reads every file.
Source find_folder(const std::string& folder);
void copy_folder(const Source& source, const std::string& to);

}  // namespace assay::build
