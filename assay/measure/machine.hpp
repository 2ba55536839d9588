#pragma once

#include <optional>
#include <string>
#include <vector>

#include "assay/measure/file_io.hpp"
#include "assay/model/log.hpp"

namespace assay::measure {

/// What this machine is: processor, cores, memory, kernel. No host or user names.
std::vector<MachineFact> machine_facts();

/// A digest of the facts that don't change from boot to boot.
std::string machine_fingerprint(const std::vector<MachineFact>& facts);

/// Bytes of memory that programs may still take, by the kernel's estimate; 0 where it doesn't tell.
double memory_available();

/// Lets one campaign at a time measure on this machine, whoever runs it: a name in the abstract socket space,
/// which is given back when its holder ends, however it ends. Programs in containers with a network of their
/// own don't see each other.
class MachineLock {
 public:
  /// Locks of different names do not exclude each other. Empty: the value of ASSAY_MACHINE_LOCK, else the
  /// machine's own. Of a long name the first 107 bytes count.
  explicit MachineLock(std::string name = {});

  /// Takes the turn if it is free; true when this object holds it.
  bool try_lock();

  struct Holder {
    int pid = 0;
    unsigned user = 0;
  };
  /// Who has the turn; empty where nobody has, or where it is held by something that is no campaign.
  [[nodiscard]] std::optional<Holder> holder() const;

  /// How long the turn of `holder` is waited for, in seconds; empty: until it ends. Anyone on the machine can
  /// hold the turn, so that only one's own and root's is waited for without a limit.
  static std::optional<double> patience(const std::optional<Holder>& holder, unsigned user);

 private:
  std::string name_;
  Descriptor held_;
};

}  // namespace assay::measure
