#pragma once

#include <string>
#include <vector>

#include "assay/model/log.hpp"

namespace assay::measure {

/// What this machine is: processor, cores, memory, kernel. No host or user names.
std::vector<MachineFact> machine_facts();

/// A digest of the facts that don't change from boot to boot.
std::string machine_fingerprint(const std::vector<MachineFact>& facts);

/// Bytes of memory that programs may still take, by the kernel's estimate; 0 where it doesn't tell.
double memory_available();

/// Names the current boot; empty where the kernel doesn't tell.
std::string boot_id();

}  // namespace assay::measure
