#pragma once

#include <cstdint>
#include <string>

namespace assay::cli {

/// A moment in milliseconds since 1970, by this machine's time zone: "2026-12-01 09:14".
std::string date_text(std::int64_t milliseconds);

/// Prints how a campaign stands: its rounds, the machines that measure it or did, and when they were heard of. Returns the exit
/// status. `named`: the ledger to look in; empty: those that are looked in else.
int show_activity(const std::string& named, const std::string& campaign);

/// Lets no more rounds of a campaign be begun. Returns the exit status.
int close_campaign(const std::string& named, const std::string& campaign);

}  // namespace assay::cli
