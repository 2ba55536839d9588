#include <gtest/gtest.h>
#include <sched.h>
#include <sys/mount.h>
#include <sys/wait.h>
#include <unistd.h>

#include <array>
#include <filesystem>
#include <fstream>
#include <iostream>

#include "assay/ledger/ledger.hpp"
#include "support/message.hpp"
#include "support/records.hpp"
#include "support/stored.hpp"
#include "support/tool.hpp"

namespace assay::ledger {
namespace {

using test::message_of;
using test::record_of;
using test::Scratch;
using test::store;

/// Fills a file system of three mebibytes with trials, looks at what is left, and makes room by taking them
/// out.
int fill_a_small_disk(const std::string& folder) {
  if (mount("tmpfs", folder.c_str(), "tmpfs", 0, "size=3m") != 0) return 77;
  Ledger ledger(folder + "/ledger.db");
  const auto record = record_of({{1, 2}, {1, 2}});
  const auto other = store(ledger, record);
  auto again = record;
  again.design.uid = "fedcba9876543210";
  const auto id = store(ledger, again);
  std::size_t stored = record.log.trials.size();
  Trial trial{.cell = {0}, .role = Role::check, .detail = std::string(20000, 'x')};
  for (int i = 0; i < 1000; ++i) {
    const auto said = message_of([&] { ledger.add_trial(id, trial); });
    if (said == "nothing was thrown") {
      ++stored;
      continue;
    }
    if (said.find("disk is full") == std::string::npos) return 1;
    if (ledger.read(id).log.trials.size() != stored) return 3;
    if (message_of([&] { ledger.remove(std::array{id}); }) != "nothing was thrown") return 4;
    if (ledger.list().size() != 1 || ledger.read(other).log.trials.size() != record.log.trials.size())
      return 5;
    return message_of([&] { ledger.add_trial(other, trial); }) == "nothing was thrown" ? 0 : 6;
  }
  return 2;
}

/// A ledger that was closed when the disk became full: it is listed, read and pruned all the same.
int open_on_a_full_disk(const std::string& folder) {
  if (mount("tmpfs", folder.c_str(), "tmpfs", 0, "size=3m") != 0) return 77;
  CampaignId id;
  const auto record = record_of({{1, 2}, {1, 2}});
  {
    Ledger ledger(folder + "/ledger.db");
    id = store(ledger, record);
    ledger.end_session(id, SessionId{0}, CampaignState::ended);
  }
  std::ofstream filler(folder + "/filler");
  const std::string piece(1 << 12, 'x');
  while (filler << piece << std::flush) {
  }
  int failed = 0;
  const auto said = message_of([&] {
    Ledger ledger(folder + "/ledger.db", Ledger::OpenMode::existing);
    if (ledger.list().size() != 1 || ledger.read(id).log.trials.size() != record.log.trials.size())
      failed = 1;
    ledger.remove(std::array{id});
    if (!ledger.list().empty()) failed = 2;
  });
  return said == "nothing was thrown" ? failed : (std::cerr << said << "\n", 3);
}

/// Runs it where a file system can be mounted; its status, or 77.
int with_a_small_disk(const std::string& folder, int (*work)(const std::string&)) {
  std::filesystem::create_directory(folder);
  const auto uid = getuid();
  const pid_t child = fork();
  if (child == 0) {
    const bool apart = unshare(uid == 0 ? CLONE_NEWNS : CLONE_NEWNS | CLONE_NEWUSER) == 0;
    if (apart && uid != 0) std::ofstream("/proc/self/uid_map") << "0 " << uid << " 1";
    if (!apart || mount(nullptr, "/", nullptr, MS_REC | MS_PRIVATE, nullptr) != 0) _exit(77);
    _exit(work(folder));
  }
  int status = 0;
  waitpid(child, &status, 0);
  return WIFEXITED(status) ? WEXITSTATUS(status) : -1;
}

TEST(Ledger, OnAFullDiskAClosedOneIsReadAndPruned) {
  const Scratch scratch;
  const int status = with_a_small_disk(scratch.path("small"), open_on_a_full_disk);
  if (status == 77) GTEST_SKIP() << "no small file system can be mounted here";
  EXPECT_EQ(status, 0);
}

TEST(Ledger, AFullDiskIsReportedAndWhatWasStoredIsSafeAndCanBeTakenOut) {
  const Scratch scratch;
  const int status = with_a_small_disk(scratch.path("small"), fill_a_small_disk);
  if (status == 77) GTEST_SKIP() << "no small file system can be mounted here";
  EXPECT_EQ(status, 0);
}

}  // namespace
}  // namespace assay::ledger
