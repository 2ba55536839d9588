#include <gtest/gtest.h>

#include <algorithm>
#include <filesystem>
#include <fstream>
#include <regex>
#include <string>
#include <vector>

#include "house/arrows.hpp"

namespace {
namespace fs = std::filesystem;
using assay::test::arrows;

const fs::path source = ASSAY_SOURCE;

struct Include {
  std::string file, module, target;
  bool quoted = false;
};

/// The module of a path below assay/: its folder, or "" for the headers at the top.
std::string module_of(const std::string& path) {
  const auto slash = path.find('/');
  return slash == std::string::npos ? "" : path.substr(0, slash);
}

std::vector<Include> all_includes() {
  const std::regex line_pattern(R"(^\s*#\s*include\s*([<"])([^>"]+)[>"])");
  std::vector<Include> all;
  for (const auto& entry : fs::recursive_directory_iterator(source / "assay")) {
    const auto extension = entry.path().extension();
    if (extension != ".hpp" && extension != ".cpp") continue;
    const auto file = fs::relative(entry.path(), source / "assay").string();
    std::ifstream in(entry.path());
    for (std::string line; std::getline(in, line);)
      if (std::smatch found;
          line.find("include") != std::string::npos && std::regex_search(line, found, line_pattern))
        all.push_back({file, module_of(file), found[2], found[1] == "\""});
  }
  return all;
}

TEST(House, EveryIncludeFollowsTheArrows) {
  std::size_t seen = 0;
  for (const auto& include : all_includes()) {
    if (!include.target.starts_with("assay/") || include.module.empty() || include.module == "cli") continue;
    const auto target = module_of(include.target.substr(6));
    ASSERT_TRUE(arrows.contains(include.module)) << include.file << ": this module is not on the map";
    EXPECT_FALSE(target.empty()) << include.file << " includes a header of the top";
    const bool allowed = target == include.module || arrows.at(include.module).contains(target);
    EXPECT_TRUE(allowed) << include.file << " must not include " << include.target;
    ++seen;
  }
  EXPECT_GT(seen, 100U);
}

/// The namespaces that a file below assay/ may open, as patterns: its module's, or that of the embedded
/// program in whose folder it is (relink/shim/: assay::shim); programs of contests have some names in the
/// library's own.
std::vector<std::regex> namespaces_of(const std::string& file) {
  const auto module = module_of(file);
  std::vector<std::regex> own;
  own.emplace_back("assay::" + module + "(::.*)?");
  if (module.empty() || module == "contest" || module == "app" || module == "model")
    own.emplace_back("assay");
  const auto program = module_of(file.substr(module.empty() ? 0 : module.size() + 1));
  if (!program.empty()) own.emplace_back("assay::" + program);
  return own;
}

/// So calls from module to module go along the arrows: what a module calls is declared in headers that it may
/// include, those declare what is of their own module's namespace, and no other module defines anything
/// there.
TEST(House, EachFileDefinesWhatIsOfItsOwnModule) {
  const std::regex opened(R"(^\s*namespace (assay[\w:]*)\s*\{)");
  for (const auto& entry : fs::recursive_directory_iterator(source / "assay")) {
    const auto extension = entry.path().extension();
    if (extension != ".hpp" && extension != ".cpp") continue;
    const auto file = fs::relative(entry.path(), source / "assay").string();
    const auto may_open = namespaces_of(file);
    std::ifstream in(entry.path());
    for (std::string line; std::getline(in, line);) {
      std::smatch found;
      if (line.find("namespace assay") == std::string::npos || !std::regex_search(line, found, opened))
        continue;
      EXPECT_TRUE(std::ranges::any_of(may_open,
                                      [&](const auto& its) { return std::regex_match(found[1].str(), its); }))
          << file << ": " << line;
    }
  }
}

TEST(House, TheToolIsWrittenAgainstWhatUsersHaveAndAProgramsParts) {
  std::size_t seen = 0;
  for (const auto& include : all_includes()) {
    if (include.module != "cli" || !include.target.starts_with("assay/")) continue;
    const auto target = module_of(include.target.substr(6));
    EXPECT_TRUE(target.empty() || target == "app" || target == "cli")
        << include.file << " must not include " << include.target;
    ++seen;
  }
  EXPECT_GT(seen, 30U);
}

/// First, so that a header that leans on what others include shows.
TEST(House, ASourceIncludesTheHeaderOfItsNameFirst) {
  for (const auto& entry : fs::recursive_directory_iterator(source / "assay")) {
    auto header = entry.path();
    if (entry.path().extension() != ".cpp" || !fs::exists(header.replace_extension(".hpp"))) continue;
    std::ifstream in(entry.path());
    std::string first;
    std::getline(in, first);
    EXPECT_EQ(first, "#include \"" + fs::relative(header, source).string() + "\"") << entry.path();
  }
}

TEST(House, TheArrowsHaveNoCircle) {
  ASSERT_GT(arrows.size(), 15U);
  for (const auto& [module, below] : arrows)
    for (const auto& other : below) {
      ASSERT_TRUE(arrows.contains(other)) << other;
      EXPECT_FALSE(arrows.at(other).contains(module)) << module << " and " << other;
      for (const auto& deeper : arrows.at(other))
        EXPECT_TRUE(below.contains(deeper)) << module << " -> " << other << " -> " << deeper;
    }
}

TEST(House, PublicHeadersIncludeNothingThirdParty) {
  const std::string list = ASSAY_PUBLIC_HEADER_LIST;
  std::size_t seen = 0;
  for (const auto& include : all_includes()) {
    if (list.find("assay/" + include.file + ",") == std::string::npos) continue;
    ++seen;
    if (include.target.starts_with("assay/")) {
      EXPECT_NE(list.find(include.target + ","), std::string::npos)
          << include.file << " includes " << include.target << ", which is not installed";
    } else {
      EXPECT_EQ(include.target.find_first_of("./"), std::string::npos)
          << include.file << " includes " << include.target;
    }
  }
  EXPECT_GT(seen, 20U);
}

TEST(House, NothingIsLeftOpenInTheSources) {
  const std::regex open_work(R"(\b(TO)(DO)\b|\bFIX(ME)\b|\bXX(X)\b)");
  const auto may_be = [](const std::string& line) {  // the expression itself takes seconds over all lines
    for (const char* part : {"DO", "ME", "XX"})
      if (line.find(part) != std::string::npos) return true;
    return false;
  };
  for (const auto* folder : {"assay", "tests", "demo", "examples"})
    for (const auto& entry : fs::recursive_directory_iterator(source / folder)) {
      if (!entry.is_regular_file()) continue;
      std::ifstream in(entry.path());
      for (std::string line; std::getline(in, line);)
        EXPECT_FALSE(may_be(line) && std::regex_search(line, open_work)) << entry.path() << ": " << line;
    }
}

}  // namespace
