#include <gtest/gtest.h>

#include <cctype>
#include <filesystem>
#include <fstream>
#include <string>
#include <vector>

namespace {
namespace fs = std::filesystem;

/// Whether a line has a word, not as a part of another one.
bool has_word(const std::string& line, const std::string& word) {
  const auto is_letter = [&](std::size_t at) { return at < line.size() && std::isalpha(line[at]) != 0; };
  for (auto at = line.find(word); at != std::string::npos; at = line.find(word, at + 1))
    if ((at == 0 || !is_letter(at - 1)) && !is_letter(at + word.size())) return true;
  return false;
}

/// Words that once stood for things that have a usual name. The product's own words are in docs/reading.md.
TEST(House, SourcesUseTheTradesTerms) {
  const std::vector<std::string> private_words = {
      "told",     "said",     "amiss",      "afresh",   "turnstile", "workshop", "arena",    "contender",
      "acquit",   "sitting",  "torn",       "Rig",      "Heat",      "Told",     "Said",     "Outlook",
      "Prospect", "Suspects", "LayingDown", "Locating", "Trending",  "Settling", "Weighing", "Holding"};
  for (const auto& entry : fs::recursive_directory_iterator(fs::path(ASSAY_SOURCE) / "assay")) {
    const auto extension = entry.path().extension();
    if (extension != ".hpp" && extension != ".cpp") continue;
    std::ifstream in(entry.path());
    for (std::string line; std::getline(in, line);)
      for (const auto& word : private_words)
        EXPECT_FALSE(has_word(line, word)) << entry.path() << ": " << word << ": " << line;
  }
}

}  // namespace
