#include "assay/model/own_files.hpp"

#include <fcntl.h>
#include <sys/stat.h>
#include <unistd.h>

#include <cerrno>
#include <cstring>
#include <filesystem>

#include "assay/model/error.hpp"

namespace assay::model {
namespace fs = std::filesystem;
namespace {

/// Closes a descriptor.
struct File {
  int fd = -1;
  ~File() {
    if (fd >= 0) close(fd);
  }
};

[[noreturn]] void fail(const std::string& path, const std::string& what, int error) {
  throw Error(what + " can't be written here: " + std::strerror(error), path,
              "look at the folder's permissions and the disk");
}

bool is_written_in_place(const std::string& path) {
  if (path.starts_with("/dev/") || path.starts_with("/proc/")) return true;
  struct stat found {};
  return lstat(path.c_str(), &found) == 0 && !S_ISREG(found.st_mode) && !S_ISLNK(found.st_mode);
}

}  // namespace

bool write_bytes(int fd, const void* bytes, std::size_t count) {
  const auto* at = static_cast<const char*>(bytes);
  while (count > 0) {
    const auto put = write(fd, at, count);
    if (put < 0 && errno == EINTR) continue;
    if (put <= 0) return false;
    at += put;
    count -= static_cast<std::size_t>(put);
  }
  return true;
}

void write_whole(const std::string& path, const std::string& text, const std::string& what, unsigned mode) {
  if (is_written_in_place(path)) {
    // A pipe without a reader is refused, not waited for.
    const File file{open(path.c_str(), O_WRONLY | O_CLOEXEC | O_NOCTTY | O_NONBLOCK)};
    if (file.fd >= 0) fcntl(file.fd, F_SETFL, 0);
    if (file.fd < 0 || !write_bytes(file.fd, text.data(), text.size())) fail(path, what, errno);
    return;
  }
  struct stat before {};
  if (lstat(path.c_str(), &before) == 0 && S_ISREG(before.st_mode)) mode = before.st_mode & 07777U;
  const auto draft = path + "." + std::to_string(getpid()) + ".new";
  unlink(draft.c_str());
  const File file{open(draft.c_str(), O_WRONLY | O_CREAT | O_EXCL | O_NOFOLLOW | O_CLOEXEC, mode)};
  if (file.fd < 0) fail(path, what, errno);
  if (!write_bytes(file.fd, text.data(), text.size()) || fdatasync(file.fd) != 0 ||
      rename(draft.c_str(), path.c_str()) != 0) {
    const int error = errno;
    unlink(draft.c_str());
    fail(path, what, error);
  }
}

int open_own(const std::string& path, int flags, unsigned mode) {
  const int fd = open(path.c_str(), flags | O_NOFOLLOW | O_CLOEXEC | O_NONBLOCK, mode);
  if (fd < 0) return fd;
  struct stat found {};
  if (fstat(fd, &found) == 0 && S_ISREG(found.st_mode) && found.st_nlink == 1 &&
      (found.st_uid == geteuid() || geteuid() == 0))
    return fd;
  close(fd);
  errno = ELOOP;
  return -1;
}

void make_private_folder(const std::string& path) {
  std::error_code failed;
  if (path.empty() || fs::is_directory(path, failed)) return;
  const auto above = fs::path(path).parent_path();
  if (!above.empty() && above != path) make_private_folder(above.string());
  if (mkdir(path.c_str(), 0700) != 0 && errno != EEXIST)
    throw Error(std::string("the folder can't be made: ") + std::strerror(errno), path,
                "look at the permissions of the folder above it, and the disk",
                Error::Code::ledger_read_only);
}

std::string foreign_folder(const std::string& path) {
  struct stat found {};
  if (stat(path.c_str(), &found) != 0 || found.st_uid == geteuid() || geteuid() == 0) return {};
  return "it belongs to another user";
}

std::string read_regular(const std::string& path, std::size_t most) {
  const File file{open(path.c_str(), O_RDONLY | O_CLOEXEC | O_NONBLOCK | O_NOCTTY)};
  struct stat found {};
  if (file.fd < 0 || fstat(file.fd, &found) != 0)
    throw Error(std::string("can't be read: ") + std::strerror(errno), path, "is the path right?");
  if (!S_ISREG(found.st_mode)) throw Error("this is not a regular file", path, "name a file");
  std::string text;
  std::string piece(1 << 16, '\0');
  while (true) {
    const auto got = read(file.fd, piece.data(), piece.size());
    if (got < 0 && errno == EINTR) continue;
    if (got < 0) throw Error(std::string("can't be read: ") + std::strerror(errno), path);
    if (got == 0) return text;
    text.append(piece, 0, static_cast<std::size_t>(got));
    if (text.size() > most)
      throw Error("this file is longer than " + std::to_string(most >> 20U) + " MiB", path,
                  "that is the most that is read of such a file (docs/limits.md)");
  }
}

}  // namespace assay::model
