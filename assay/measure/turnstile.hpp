#pragma once

#include "assay/measure/descriptor.hpp"

namespace assay::inline v1::measure {

/// Lets one campaign at a time measure on this machine, whoever runs it: a name in the abstract socket space,
/// which is given back when its holder ends, however it ends. Programs in containers with a network of their
/// own don't see each other.
class Turnstile {
 public:
  /// `name` is the machine's own; tests have others.
  explicit Turnstile(const char* name = "assay-measuring");

  /// Takes the turn if nobody has it; true when this object holds it.
  bool enter();

 private:
  const char* name_;
  Descriptor held_;
};

}  // namespace assay::inline v1::measure
