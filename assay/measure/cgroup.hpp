#pragma once

#include <optional>
#include <string>

namespace assay::measure {

/// A control group (cgroup v2) of its own for one trial, beside that of this process: its peak is that of all
/// processes together. Whether one may be made depends on the machine and on how this process was started;
/// groups that were there before are left alone.
class TrialCgroup {
 public:
  /// `parent` is the folder to make it in; see find_cgroup_parent(). `processes`: how many processes and threads it
  /// may have at a time, where the kernel lets us say; 0: any number.
  explicit TrialCgroup(const std::string& parent, int processes = 0);
  ~TrialCgroup();
  TrialCgroup(const TrialCgroup&) = delete;
  TrialCgroup& operator=(const TrialCgroup&) = delete;

  std::string procs_file() const { return folder_ + "/cgroup.procs"; }
  /// Bytes; page cache and memory files that the trial filled are in it. Empty when the kernel doesn't tell.
  std::optional<double> peak() const;
  /// Whether it asked for more processes than it may have.
  bool was_at_process_limit() const;

 private:
  std::string folder_;
};

/// The folder in which this process may make control groups that account memory: the one its own group is in,
/// or its own when it may hold others. Tried by making one. Empty when there is none. `root` and `own` are
/// the kernel's (/sys/fs/cgroup and /proc/self/cgroup); tests have others.
std::string find_cgroup_parent(const std::string& root = "/sys/fs/cgroup",
                               const std::string& own = "/proc/self/cgroup");

}  // namespace assay::measure
