#pragma once

#include <cstddef>
#include <cstdint>
#include <functional>
#include <map>
#include <optional>
#include <stop_token>
#include <string>
#include <utility>
#include <vector>

#include "assay/build/repository.hpp"
#include "assay/measure/process.hpp"

namespace assay::build {

/// What is to be built.
struct BuildRequest {
  std::string name;                             ///< the candidate's, for messages
  std::string folder;                           ///< of the source, or within its repository; absolute
  std::string commit;                           ///< see Repository::find; empty: the folder as it is
  std::vector<std::vector<std::string>> steps;  ///< with `${source}`, `${out}` and `${jobs}` unexpanded
  double timeout = 3600;                        ///< seconds, each step
  std::vector<std::string> inputs;              ///< see Build::inputs
  bool capture = false;                         ///< its links are kept, so that they can be done again
};

/// The result of it.
struct BuildResult {
  bool ok = false;
  std::string why;          ///< when not ok: what went wrong, with the end of the log
  std::string source, out;  ///< folders, absolute
  std::string log;          ///< path of the whole log
  std::string relink;       ///< folder for all that layouts need; empty: links were not kept
  double seconds = 0;       ///< that all steps took, when they were run
  bool cached = false;      ///< it was there already
  Source from;
  std::string compiler, flags;  ///< see toolchain.hpp; empty: not known
};

/// Builds candidates in a cache, `FOLDER/.assay/cache`. A build is known by its source tree, steps and
/// toolchain: what was built once is taken from there, whatever the commit is called, and what was cut off or
/// failed, or whose programs are not those that were built, is built again. With BuildRequest::capture it is another build, whose links are kept; what could
/// not be kept never makes it fail. The source, copied or checked out, lies beside it; the user's own folders
/// are not written to. The cache may be deleted at any time.
class Builder {
 public:
  /// `log` receives a line for each step.
  Builder(measure::Launcher& launcher, std::string cache, std::function<void(const std::string&)> log)
      : launcher_(launcher), cache_(std::move(cache)), log_(std::move(log)) {}

  /// Throws Error for a source that is not there or can't be checked out, Cancelled on a stop request. A step
  /// that fails is reported in the result.
  BuildResult build(const BuildRequest& order, const std::stop_token& stop);

 private:
  void run_steps(const BuildRequest& order, BuildResult& built, const std::stop_token& stop);

  measure::Launcher& launcher_;
  std::string cache_;
  std::function<void(const std::string&)> log_;
  std::map<std::string, Source> found_;  ///< by folder, commit and inputs, found once
};

/// Names of the programs that a build has left in its `out`, below it, sorted; at most `most`. For messages.
/// Cost: walks the folder.
std::vector<std::string> programs_of(const BuildResult& built, std::size_t most);

/// Where a plan in `folder` has its cache: in its .assay folder, or in the one that ASSAY_CACHE names, which is made and used as
/// such a folder.
std::string cache_of(const std::string& folder);

/// Throws Error where an `.assay` folder belongs to another user, or is tracked by the git repository that it lies
/// in. One that is not there is fine.
void refuse_foreign_folder(measure::Launcher& launcher, const std::string& assay_folder);

/// Lets git overlook an `.assay` folder.
void hide_from_git(const std::string& assay_folder);

}  // namespace assay::build
