#pragma once

#include <optional>
#include <string>
#include <vector>

#include "assay/model/plan.hpp"

namespace assay::plan {

/// A folder of sources whose build is known by the files that lie in it.
struct Project {
  std::string kind;  ///< "CMake"
  std::string file;  ///< by which it was recognised: "CMakeLists.txt"
  Build build;       ///< the usual steps: optimised, into `${out}` where the build system can
  /// Commands that the build likely yields, as its files name them: "${out}/towpath". May be empty.
  std::vector<std::string> programs;
};

/// The project in `folder`: CMake, Meson, Cargo, Go, npm, a configure script, or a Makefile, in this order,
/// so that a Makefile that only calls another of them does not hide it. Empty where there is none of their
/// files. Cost: reads those files, not the sources.
std::optional<Project> detect_project(const std::string& folder);

/// The files that detect_project() goes by, for messages.
std::string project_files();

/// A commented plan file to begin with, for the project in `folder`: its build steps and programs where they
/// are known, the last commit (of a git repository, `in_git`) compared with the working tree, else two
/// programs, and a workload to fill in. What it returns can be read as a plan.
std::string starter_plan(const std::string& folder, bool in_git);

}  // namespace assay::plan
