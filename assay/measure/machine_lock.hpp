#pragma once

#include "assay/measure/file_io.hpp"

namespace assay::measure {

/// Lets one campaign at a time measure on this machine, whoever runs it: a name in the abstract socket space,
/// which is given back when its holder ends, however it ends. Programs in containers with a network of their
/// own don't see each other.
class MachineLock {
 public:
  /// `name` is the machine's own; tests have others.
  explicit MachineLock(const char* name = "assay-measuring");

  /// Takes the turn if nobody has it; true when this object holds it.
  bool try_lock();

 private:
  const char* name_;
  Descriptor held_;
};

}  // namespace assay::measure
