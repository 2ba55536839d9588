#pragma once

#include <cstddef>
#include <string>

#include "assay/model/visible.hpp"

namespace assay::model {

/// Writes all of it to a descriptor, whatever interrupts it. False, with errno, where it can't be.
bool write_bytes(int fd, const void* bytes, std::size_t count);

/// Writes a whole file: beside it, and renamed, so that no reader sees a part and a link of that name is
/// replaced, not followed. Devices and pipes, and what lies below /dev and /proc, are written to as they are.
/// `mode`: the permissions of a new file, before the umask. Throws Error that names `what` can't be written
/// there.
void write_whole(const std::string& path, const std::string& text, const std::string& what,
                 unsigned mode = 0666);

/// Opens a file that only this user's Assay writes: no link is followed; it must be a regular file with one
/// name that belongs to this user (or to root, where that runs this). `flags` as of open(2). Returns −1 with
/// errno where it can't be opened, ELOOP where it is not such a file. The caller closes it.
int open_own(const std::string& path, int flags, unsigned mode = 0600);

/// Makes a folder, and those above it, for this user alone. Throws Error where it can't be made.
void make_private_folder(const std::string& path);

/// Why what lies in an `.assay` folder can't be trusted to be this user's own: it belongs to another. Empty:
/// it can, or there is none.
std::string foreign_folder(const std::string& path);

/// The content of a regular file of at most `most` bytes. Throws Error for one that is not there, no file, or
/// longer: a pipe or device is not waited for.
std::string read_regular(const std::string& path, std::size_t most);

}  // namespace assay::model
