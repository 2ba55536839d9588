#pragma once

#include <optional>
#include <string>

namespace assay::measure {

/// A control group (cgroup v2) of its own for one trial, beside that of this process: its peak and its waiting
/// are those of all processes together. Whether one may be made depends on the machine and on how this process
/// was started; groups that were there before are left alone.
class TrialCgroup {
 public:
  /// `parent` is the folder to make it in; see find_cgroup_parent(). `processes`: how many processes and
  /// threads it may have at a time, where the kernel lets us say; 0: any number.
  explicit TrialCgroup(const std::string& parent, int processes = 0);
  ~TrialCgroup();
  TrialCgroup(const TrialCgroup&) = delete;
  TrialCgroup& operator=(const TrialCgroup&) = delete;

  std::string procs_file() const { return folder_ + "/cgroup.procs"; }
  /// Bytes; page cache and memory files that the trial filled are in it. Empty when the kernel doesn't tell.
  std::optional<double> peak() const;
  /// Seconds in which a process of it was ready to run and others had the core. Empty when the kernel doesn't
  /// tell.
  std::optional<double> core_wait() const;
  /// Whether it asked for more processes than it may have.
  bool was_at_process_limit() const;

 private:
  std::string folder_;
};

/// Where this process may make control groups, and what they tell.
struct CgroupParent {
  std::string folder;  ///< empty: nowhere
  bool accounts_memory = false, tells_core_wait = false;
};

/// The folder that this process's own group is in, or the group itself when it may hold others; also where the
/// kernel's two kinds of groups are mixed. One that accounts memory comes before one that only tells the wait
/// for a core. Tried by making one; costs some milliseconds. `root` and `own` are the kernel's (/sys/fs/cgroup
/// and /proc/self/cgroup); tests have others.
CgroupParent find_cgroup_parent(const std::string& root = "/sys/fs/cgroup",
                                const std::string& own = "/proc/self/cgroup");

}  // namespace assay::measure
