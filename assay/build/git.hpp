#pragma once

#include <stop_token>
#include <string>
#include <vector>

#include "assay/measure/process.hpp"
#include "assay/model/stopped.hpp"

namespace assay::build {

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
  /// Runs `git ARGUMENTS` in a folder, `environment` (`NAME=value`) added. Throws Stopped on a stop
  /// request, Error when it can't be started.
  Result run(const std::string& folder, const std::vector<std::string>& arguments,
             const std::vector<std::string>& environment = {});

  /// What it says on standard output. Throws Error with the end of its stderr when it fails.
  std::string text(const std::string& folder, const std::vector<std::string>& arguments,
                   const std::vector<std::string>& environment = {});

 private:
  measure::Launcher& launcher_;
  std::stop_token stop_;
  std::string program_;
};

/// The names of this process's variables, without those that point git at a repository.
std::vector<std::string> environment_without_git();

}  // namespace assay::build
