#include <gtest/gtest.h>

#include <filesystem>

#include "programs/readers.hpp"
#include "support/tool.hpp"

namespace assay {
namespace {

/// What scripts/fuzz.sh has found, and examples to begin with.
TEST(Corpus, EveryReaderTakesOrRefusesAllOfIt) {
  for (const auto& [name, reader] : test::readers()) {
    int count = 0;
    for (const auto& entry : std::filesystem::directory_iterator(ASSAY_SOURCE "/tests/corpus/" + name)) {
      EXPECT_NO_THROW(test::read_with(reader, test::read_file(entry.path().string()))) << entry.path();
      ++count;
    }
    EXPECT_GT(count, 0) << name;
  }
}

}  // namespace
}  // namespace assay
