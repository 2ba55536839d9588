#pragma once

#include <array>
#include <optional>
#include <string>
#include <vector>

#include "assay/measure/file_io.hpp"
#include "assay/model/log.hpp"

namespace assay::measure {

/// What this machine is: processor, cores, memory, kernel. No host or user names.
std::vector<MachineFact> machine_facts();

/// Tells this machine from others of its kind, and from this machine held to other cores: a digest that names nothing.
/// It outlives a restart where the system has an id of its own (/etc/machine-id).
std::string machine_mark();

/// The names of the facts that make a kind of machine: they don't change from boot to boot.
inline constexpr std::array lasting_facts = {"processor", "cores", "cores allowed", "memory MiB",
                                             "architecture"};

/// A digest of the facts that don't change from boot to boot.
std::string machine_fingerprint(const std::vector<MachineFact>& facts);

/// Bytes of memory that programs may still take, by the kernel's estimate; 0 where it doesn't tell.
double memory_available();

/// Lets one campaign at a time measure on each core of this machine, whoever runs it: a name in the abstract socket space
/// for each core that this process may use, which is given back when its holder ends, however it ends. Processes that are
/// held to other cores measure beside each other. Programs in containers with a network of their own don't see each other.
class MachineLock {
 public:
  /// Locks of different names do not exclude each other. Empty: the value of ASSAY_MACHINE_LOCK, else the
  /// machine's own. Of a long name the first hundred bytes count.
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
  std::vector<Descriptor> held_;  ///< one for each core
};

}  // namespace assay::measure
