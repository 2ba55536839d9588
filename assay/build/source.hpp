#pragma once

#include <cstdint>
#include <optional>
#include <stop_token>
#include <string>

#include "assay/build/git.hpp"
#include "assay/measure/process.hpp"

namespace assay::inline v1::build {

/// A source as it was found: what a build of it is called by, and what it came from.
struct Source {
  std::string tree;  ///< names its content: equal trees, equal texts
  std::string
      commit;         ///< full id; of a working tree, that of a commit made of it in the cache; empty: no git
  std::string title;  ///< "3f2a91c Scan the frontier as a list"; empty without git
  std::optional<std::int64_t> time;  ///< of the commit, seconds since 1970
  std::string note;                  ///< what should be known of it; empty: nothing
  std::string folder;                ///< of a source without git: the folder itself
  std::string within;                ///< path of `${source}` below the root of the repository
};

/// A git repository of the user's. It is only read: trees are laid out as worktrees of a repository of
/// Assay's own in the cache, which borrows the objects of the user's.
class Repository {
 public:
  /// The repository that `folder` is in. Throws Error when there is none.
  Repository(measure::Launcher& launcher, const std::string& folder, const std::string& cache,
             std::stop_token stop);

  /// Finds a commit: any name that git understands, "merge-base:NAME" for where HEAD and NAME parted, "." for
  /// the working tree: tracked and untracked files with their uncommitted edits, but what is ignored. Throws
  /// Error for a name that means no commit here, with a word on shallow clones.
  Source find(const std::string& name);

  /// Lays a found source out in the new folder `to`, submodules with it. Throws Error.
  void lay_out(const Source& source, const std::string& to);

 private:
  Source snapshot();
  std::string commit_named(const std::string& name);
  bool shallow();
  void bring_submodules(const std::string& worktree, const std::string& modules);

  Git git_;
  std::string top_, common_, within_;
  std::string own_;  ///< the cache's repository
};

/// A folder without git. Its content, but for `.git` and `.assay`, is copied into the cache, so that building
/// it leaves the folder as it was. Throws Error when it can't be read. Cost: reads every file.
Source find_folder(const std::string& folder);
void copy_folder(const Source& source, const std::string& to);

}  // namespace assay::inline v1::build
