#pragma once

#include <stop_token>
#include <string>

#include "assay/build/git.hpp"
#include "assay/build/source.hpp"
#include "assay/measure/process.hpp"

namespace assay::inline v1::build {

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

}  // namespace assay::inline v1::build
