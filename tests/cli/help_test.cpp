#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <regex>
#include <sstream>

#include "support/tool.hpp"

namespace assay::test {
namespace {

/// The names under a heading of the help.
std::vector<std::string> commands_in(const std::string& help) {
  std::vector<std::string> names;
  std::istringstream lines(help.substr(help.find("Subcommands:")));
  std::string line;
  std::getline(lines, line);
  while (std::getline(lines, line) && line.starts_with("  ")) {
    std::istringstream words(line);
    names.emplace_back();
    words >> names.back();
  }
  return names;
}

TEST(Help, ShowsInAWordWhatEveryOptionTakes) {
  const Scratch scratch;
  const std::regex a_type(R"(^ +(-\w,)?--[\w-]+ (VALUE|TEXT|INT|UINT|FLOAT|NUMBER:|.*\bin \[))");
  const auto commands = commands_in(assay(scratch, {"--help"}).out);
  ASSERT_THAT(commands, testing::IsSupersetOf({"duel", "run", "gate", "ledger"}));
  for (const auto& command : commands) {
    const auto help = assay(scratch, {command, "--help"});
    EXPECT_EQ(help.status, 0) << command;
    std::istringstream lines(help.out);
    for (std::string line; std::getline(lines, line);)
      EXPECT_FALSE(std::regex_search(line, a_type)) << command << ": " << line;
  }
  EXPECT_THAT(assay(scratch, {"duel", "--help"}).out, testing::HasSubstr("--budget DURATION"));
}

}  // namespace
}  // namespace assay::test
