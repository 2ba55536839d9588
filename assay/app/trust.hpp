#pragma once

#include <string>

/// What may be taken for this user's own: the `.assay` folder beside a plan, and campaigns of a ledger whose commands
/// are to be run again.
namespace assay::app {

/// Throws Error where an `.assay` folder belongs to another user, or came with the git repository that it lies in:
/// what is in it would be read, written or run. One that is not there is fine. Cost: runs git once where the folder
/// is there.
void require_own_folder(const std::string& assay_folder);

/// Notes in a file of this user's that a campaign was begun by this user; where it can't be written, it is not noted.
void remember_campaign(const std::string& file, const std::string& uid);

/// Whether the file has this campaign.
bool is_remembered(const std::string& file, const std::string& uid);

}  // namespace assay::app
