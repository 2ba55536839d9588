#include <gtest/gtest.h>

#include <filesystem>
#include <fstream>
#include <regex>
#include <string>

namespace {
namespace fs = std::filesystem;

/// Words that once stood for things that have a usual name. CONTRIBUTING.md says where the product's own words are.
TEST(House, SourcesUseTheTradesTerms) {
  const std::regex private_words(
      R"((^|[^A-Za-z])(told|said|amiss|afresh|turnstile|workshop|arena|contender|acquit|sitting|torn|Rig|Heat|Told|Said|)"
      R"(Outlook|Prospect|Suspects|LayingDown|Locating|Trending|Settling|Weighing|Holding)([^A-Za-z]|$))");
  std::size_t lines = 0;
  for (const auto& entry : fs::recursive_directory_iterator(fs::path(ASSAY_SOURCE) / "assay")) {
    const auto extension = entry.path().extension();
    if (extension != ".hpp" && extension != ".cpp") continue;
    std::ifstream in(entry.path());
    for (std::string line; std::getline(in, line);) {
      ++lines;
      EXPECT_FALSE(std::regex_search(line, private_words)) << entry.path() << ": " << line;
    }
  }
  EXPECT_GT(lines, 0U);
}

}  // namespace
