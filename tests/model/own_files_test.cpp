#include "assay/model/own_files.hpp"

#include <fcntl.h>
#include <gtest/gtest.h>
#include <sys/stat.h>
#include <unistd.h>

#include <cerrno>
#include <filesystem>

#include "assay/model/error.hpp"
#include "support/tool.hpp"

namespace assay::model {
namespace {

using test::read_file;
using test::Scratch;
namespace fs = std::filesystem;

TEST(WriteWhole, ReplacesALinkAndKeepsPermissions) {
  const Scratch scratch;
  const auto victim = scratch.file("victim", "theirs"), mine = scratch.file("mine", "old");
  chmod(mine.c_str(), 0640);
  fs::create_symlink(victim, scratch.path("link"));
  write_whole(scratch.path("link"), "new", "it");
  write_whole(mine, "new", "it");
  EXPECT_EQ(read_file(victim), "theirs");
  EXPECT_EQ(read_file(scratch.path("link")), "new");
  EXPECT_EQ(read_file(mine), "new");
  struct stat found {};
  ASSERT_EQ(stat(mine.c_str(), &found), 0);
  EXPECT_EQ(found.st_mode & 0777U, 0640U);
  EXPECT_EQ(std::distance(fs::directory_iterator(scratch.path()), fs::directory_iterator()), 3)
      << "no draft is left";
}

TEST(WriteWhole, WritesToDevicesAsTheyAreAndNamesWhatFails) {
  const Scratch scratch;
  write_whole("/dev/null", "all of it", "it");
  EXPECT_TRUE(fs::is_character_file("/dev/null"));
  EXPECT_THROW(write_whole("/dev/full", "all of it", "it"), Error);
  EXPECT_THROW(write_whole(scratch.path("none/file"), "all of it", "it"), Error);
  ASSERT_EQ(mkfifo(scratch.path("pipe").c_str(), 0600), 0);
  EXPECT_THROW(write_whole(scratch.path("pipe"), "all of it", "it"), Error) << "nobody reads it";
}

TEST(OpenOwn, RefusesLinksAndFilesOfSeveralNames) {
  const Scratch scratch;
  const auto file = scratch.file("file", "x");
  fs::create_symlink(file, scratch.path("link"));
  EXPECT_EQ(open_own(scratch.path("link"), O_RDWR), -1);
  EXPECT_EQ(errno, ELOOP);
  EXPECT_EQ(open_own(scratch.path(), O_RDONLY), -1) << "a folder";
  const int own = open_own(file, O_RDWR);
  EXPECT_GE(own, 0);
  close(own);
  fs::create_hard_link(file, scratch.path("other"));
  EXPECT_EQ(open_own(file, O_RDWR), -1);
}

TEST(ReadRegular, TakesFilesUpToALengthAndWaitsForNone) {
  const Scratch scratch;
  const auto file = scratch.file("file", std::string(1000, 'x'));
  EXPECT_EQ(read_regular(file, 1000).size(), 1000U);
  EXPECT_THROW(read_regular(file, 999), Error);
  ASSERT_EQ(mkfifo(scratch.path("pipe").c_str(), 0600), 0);
  EXPECT_THROW(read_regular(scratch.path("pipe"), 10), Error);
  EXPECT_THROW(read_regular("/dev/zero", 10), Error);
  EXPECT_THROW(read_regular(scratch.path("none"), 10), Error);
}

TEST(PrivateFolders, AreThisUsersAlone) {
  const Scratch scratch;
  make_private_folder(scratch.path("a/b"));
  struct stat found {};
  ASSERT_EQ(stat(scratch.path("a").c_str(), &found), 0);
  EXPECT_EQ(found.st_mode & 0777U, 0700U);
  scratch.file("file", "");
  EXPECT_THROW(make_private_folder(scratch.path("file/c")), Error);
  EXPECT_EQ(foreign_folder(scratch.path("a")), "");
}

}  // namespace
}  // namespace assay::model
