#include "assay/measure/capture.hpp"

#include <gtest/gtest.h>
#include <sys/stat.h>
#include <unistd.h>

#include "assay/measure/file_io.hpp"
#include "assay/measure/process.hpp"

namespace assay::measure {
namespace {

void fill(const Capture& capture, std::uint64_t bytes, Digest& digest) {
  std::string block(1 << 20, ' ');
  for (std::size_t i = 0; i < block.size(); ++i) block[i] = static_cast<char>(i * 31 % 251);
  for (std::uint64_t put = 0; put < bytes; put += block.size()) {
    ASSERT_EQ(write(capture.descriptor(), block.data(), block.size()), static_cast<ssize_t>(block.size()));
    digest.add(block.data(), block.size());
  }
}

TEST(Capture, AFloodIsHashedWholeInBoundedMemory) {
  Capture capture("flood");
  Digest expected;
  std::int64_t most_blocks = 0;
  for (int i = 0; i < 10; ++i) {
    fill(capture, Capture::patience, expected);
    capture.drain();
    struct stat status {};
    fstat(capture.descriptor(), &status);
    most_blocks = std::max<std::int64_t>(most_blocks, status.st_blocks);
  }
  capture.finish();
  EXPECT_EQ(capture.bytes(), 10 * Capture::patience);
  EXPECT_EQ(capture.digest(), expected.text());
  EXPECT_LE(most_blocks * 512, static_cast<std::int64_t>(Capture::kept + (1U << 20U)))
      << "memory was not given back";
  EXPECT_EQ(capture.head(3), std::string("\x00\x1f\x3e", 3));
}

TEST(Capture, SmallOutputsAreHashedAtTheEndOnly) {
  Capture capture("small");
  ASSERT_EQ(write(capture.descriptor(), "abcdef", 6), 6);
  capture.drain();
  capture.finish();
  EXPECT_EQ(capture.digest(), digest_of("abcdef"));
  EXPECT_EQ(capture.tail(2), "ef");
  EXPECT_EQ(capture.head(2), "ab");
}

TEST(Capture, AProgramThatFloodsIsTakenWhole) {
  Launcher launcher;
  const auto result = launcher.run({.program = BEHAVE, .arguments = {"behave", "write", "300000000"}});
  EXPECT_EQ(result.exit_status, 0);
  EXPECT_EQ(result.out->bytes(), 300000000U);
  Digest expected;
  const std::string block(100000, 'x');
  for (int i = 0; i < 3000; ++i) expected.add(block.data(), block.size());
  EXPECT_EQ(result.out->digest(), expected.text());
}

}  // namespace
}  // namespace assay::measure
