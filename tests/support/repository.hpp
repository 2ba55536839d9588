#pragma once

#include <gtest/gtest.h>

#include <string>
#include <vector>

#include "support/tool.hpp"

namespace assay::test {

/// A git repository in a folder of the scratch, made as a test goes; its commits are a minute apart.
class TestRepository {
 public:
  TestRepository(const Scratch& scratch, const std::string& folder) : scratch_(scratch), folder_(folder) {
    git({"init", "--quiet", "--initial-branch=main", scratch_.path(folder_)}, false);
  }

  std::string path(const std::string& name = {}) const { return scratch_.path(folder_ + "/" + name); }

  /// Writes a file, and commits all there is.
  void commit(const std::string& message, const std::string& file, const std::string& content) {
    scratch_.file(folder_ + "/" + file, content);
    git({"add", "--all"});
    const auto minute = std::to_string(10 + ++commits_ % 50);
    const auto hour = std::to_string(10 + commits_ / 50);
    git({"commit", "--quiet", "--allow-empty", "--date=2026-03-01T" + hour + ":" + minute + ":00Z",
         "--message", message});
  }

  /// Runs the tool in the repository's folder.
  Ran tool(std::vector<std::string> arguments) const {
    arguments.insert(arguments.begin(), {"/usr/bin/env", "-C", path(), ASSAY_TOOL});
    return run(scratch_, arguments);
  }

  void git(std::vector<std::string> arguments, bool here = true) {
    std::vector<std::string> command = {"/usr/bin/git", "-c", "user.name=Lock Keeper", "-c",
                                        "user.email=keeper@towpath.example"};
    if (here) command.insert(command.end(), {"-C", path()});
    command.insert(command.end(), arguments.begin(), arguments.end());
    const auto ran = run(scratch_, command);
    ASSERT_EQ(ran.status, 0) << ran.err;
  }

 private:
  const Scratch& scratch_;
  std::string folder_;
  int commits_ = 0;
};

}  // namespace assay::test
