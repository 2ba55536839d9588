#pragma once

#include <string>
#include <vector>

#include "assay/measure/process.hpp"

namespace assay::test {
using namespace model;

/// The test program that does the steps it is given (see programs/behave.cpp). `timeout` and `grace` in
/// seconds; grace is short, so that tests of what ignores its end don't wait.
inline measure::Command behave(std::vector<std::string> steps, double timeout = 600, double grace = 0.2) {
  measure::Command command{.program = BEHAVE, .arguments = {"behave"}, .timeout = timeout, .grace = grace};
  command.arguments.insert(command.arguments.end(), steps.begin(), steps.end());
  return command;
}

}  // namespace assay::test
