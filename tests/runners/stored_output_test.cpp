#include "assay/runners/stored_output.hpp"

#include <gtest/gtest.h>

#include <filesystem>
#include <vector>

namespace assay::runners {
namespace {

namespace fs = std::filesystem;

/// Files without a name that this process holds answers in, and their bytes.
std::pair<int, std::uintmax_t> files_of_answers() {
  int count = 0;
  std::uintmax_t bytes = 0;
  for (const auto& entry : fs::directory_iterator("/proc/self/fd")) {
    std::error_code gone;
    if (fs::read_symlink(entry.path(), gone).string().find("/assay-answer-") == std::string::npos) continue;
    ++count;
    bytes += fs::file_size(entry.path(), gone);
  }
  return {count, bytes};
}

check::Output answer_of(const std::string& text) {
  return {.out = text, .whole = true, .digest = "d" + std::to_string(text.size()), .size = text.size()};
}

TEST(StoredOutput, LongOnesLieOnDiskForAsLongAsTheyAreNeeded) {
  constexpr std::size_t mebibyte = 1U << 20U;
  {
    std::vector<StoredOutput> kept;
    for (char c = 'a'; c < 'i'; ++c) kept.emplace_back(answer_of(std::string(mebibyte, c)));
    EXPECT_EQ(files_of_answers(), (std::pair<int, std::uintmax_t>{8, 8 * mebibyte}));
    EXPECT_EQ(kept[1].text(), std::string(mebibyte, 'b'));
    EXPECT_EQ(kept[7].size(), mebibyte);
  }
  EXPECT_EQ(files_of_answers().first, 0);
}

TEST(StoredOutput, ShortOnesNeedNoFile) {
  const StoredOutput kept(answer_of("total 7\n"));
  EXPECT_EQ(files_of_answers().first, 0);
  const auto text = kept.text();
  EXPECT_EQ(kept.as_output(text).out, "total 7\n");
  EXPECT_TRUE(kept.as_output(text).whole);
}

}  // namespace
}  // namespace assay::runners
