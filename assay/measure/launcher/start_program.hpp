#pragma once

#include <cstdint>

#include "assay/measure/launcher/protocol.hpp"

/// Becoming a program, in a fresh child.
namespace assay::launcher {

/// What a request says about one program; the texts are the request's own memory.
struct Start {
  const char* directory;
  const char* path;
  const char* input;
  const char* join;  ///< a cgroup.procs file; empty: none
  char** arguments;
  char** variables;
  int out, err, samples;
};

/// Where a child says that it failed before it had a program of its own.
struct Failure {
  volatile std::int32_t error;
  volatile measure::protocol::Step step;
};

/// Everything up to the point where only exec is left: session, cgroup, core, niceness, limits, working
/// directory, standard streams. Allocates nothing, so that it may run in a vfork child. False, with the
/// failure reported, when a step failed.
bool prepare(const Start& start, const measure::protocol::Request& request, Failure& failure);

/// Closes every other descriptor and executes the program. Does not return.
[[noreturn]] void execute(const Start& start, const measure::protocol::Request& request, Failure& failure);

std::int64_t now_ns();

}  // namespace assay::launcher
