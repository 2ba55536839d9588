#pragma once

#include <cstdint>
#include <optional>
#include <stop_token>
#include <string>
#include <vector>

#include "assay/measure/file_io.hpp"
#include "assay/measure/process.hpp"
#include "assay/model/error.hpp"
#include "assay/model/history.hpp"

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

/// The real git, run as a process. What the environment says of a repository (GIT_DIR and the like) is not
/// passed on, and it never asks for a password.
class Git {
 public:
  /// Throws Error when there is no git.
  Git(measure::Launcher& launcher, std::stop_token stop);

  struct Result {
    int status = 0;
    std::string out, err;  ///< without the line break at the end
  };
  /// Runs `git ARGUMENTS` in a folder, `environment` (`NAME=value`) added. Throws Cancelled on a stop
  /// request, Error when it can't be started.
  Result run(const std::string& folder, const std::vector<std::string>& arguments,
             const std::vector<std::string>& environment = {});

  /// What it says on standard output. Throws Error with the end of its stderr when it fails.
  std::string text(const std::string& folder, const std::vector<std::string>& arguments,
                   const std::vector<std::string>& environment = {});

  /// Whether a repository has this folder, or something below it, in its index. False without a repository.
  bool is_tracked(const std::string& folder);

  const std::stop_token& stop() const { return stop_; }

 private:
  measure::Launcher& launcher_;
  std::stop_token stop_;
  std::string program_;
};

/// Takes the lock of a file, which it makes; it is given back with what is returned, or by the end of this
/// process, however that comes. Waits for other processes that hold it. Throws Cancelled on a stop request,
/// Error where the file can't be had.
measure::Descriptor lock_file(const std::string& path, const std::stop_token& stop);

/// The names of this process's variables, without those that point git at a repository.
std::vector<std::string> environment_without_git();

/// A git repository of the user's. It is only read: trees are checked out as worktrees of a repository of
/// Assay's own in the cache, which borrows the objects of the user's.
class Repository {
 public:
  /// The repository that `folder` is in. Throws Error when there is none.
  Repository(measure::Launcher& launcher, const std::string& folder, const std::string& cache,
             std::stop_token stop);

  /// Finds a commit: any name that git understands, "merge-base:NAME" for where HEAD and NAME parted, "." for
  /// the working tree: tracked and untracked files with their uncommitted edits, but what is ignored. Throws
  /// Error for a name that means no commit here, with a word on shallow clones. `inputs`: paths from the root
  /// of the repository; the source's tree is then that of these alone. Throws Error where the commit has none
  /// of them.
  Source find(const std::string& name, const std::vector<std::string>& inputs = {});

  /// The commits from `good` to `bad` (names as find() takes them), oldest first, on the line of first
  /// parents: both ends are in it, once where they are one commit. Throws Error, saying how the two lie to
  /// each other, where `good` is not on that line.
  std::vector<CommitFacts> line(const std::string& good, const std::string& bad);

  /// Takes out of a line of commits those that differ from the one before in nothing that `inputs` name (in
  /// nothing at all: where there are none), but for the first and the last.
  void drop_unchanged(std::vector<CommitFacts>& commits, const std::vector<std::string>& inputs);

  /// The commit where the parents of a merge parted; empty for one that is none.
  std::optional<std::string> fork_point(const CommitFacts& merge);

  /// The id of the commit of this name; "." has none. Throws Error as find() does.
  std::string id_of(const std::string& name) { return commit_named(name); }

  /// Lays a found source out in the new folder `to`, submodules with it. Throws Error.
  void check_out(const Source& source, const std::string& to);

 private:
  measure::Descriptor lock_cache();
  void write_config(const std::string& object_format, const std::string& origin);
  Source snapshot();
  std::string tree_of(const std::string& tree, const std::vector<std::string>& inputs);
  std::string commit_named(const std::string& name);
  bool shallow();
  std::vector<CommitFacts> log(const std::vector<std::string>& arguments);
  void drop_damaged_worktrees() const;
  void bring_submodules(const std::string& worktree, const std::string& modules);

  Git git_;
  std::string top_, common_, within_;
  std::string own_;  ///< the cache's repository
};

}  // namespace assay::build
