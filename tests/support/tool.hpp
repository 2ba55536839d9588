#pragma once

#include <sys/types.h>

#include <filesystem>
#include <string>
#include <vector>

namespace assay::test {

/// A folder of its own for a test, taken away with it.
class Scratch {
 public:
  Scratch();
  ~Scratch();
  Scratch(const Scratch&) = delete;
  Scratch& operator=(const Scratch&) = delete;

  std::string path(const std::string& name = {}) const;
  /// Writes a file and returns its path.
  std::string file(const std::string& name, const std::string& content) const;

 private:
  std::filesystem::path folder_;
};

std::string read_file(const std::string& path);
bool is_alive(pid_t pid);
std::vector<pid_t> pids_in(const std::string& file);

/// What came of running a program to its end. `status` is the exit status, or minus the signal.
struct Ran {
  int status = 0;
  std::string out, err;
};

/// Starts a program in `scratch`, with its home and state there, stdin from /dev/null.
class Started {
 public:
  Started(const Scratch& scratch, const std::vector<std::string>& command);
  pid_t pid() const { return pid_; }
  Ran wait();
  std::string err_so_far() const;

 private:
  std::string out_, err_;
  pid_t pid_ = -1;
};

/// Runs a program, or the assay tool, to its end.
Ran run(const Scratch& scratch, const std::vector<std::string>& command);
Ran assay(const Scratch& scratch, std::vector<std::string> arguments);

}  // namespace assay::test
