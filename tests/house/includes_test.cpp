#include <gtest/gtest.h>

#include <algorithm>
#include <array>
#include <cstdio>
#include <filesystem>
#include <fstream>
#include <map>
#include <memory>
#include <regex>
#include <set>
#include <sstream>
#include <string>
#include <vector>

namespace {
namespace fs = std::filesystem;

const fs::path source = ASSAY_SOURCE;

/// What each module may include besides itself, as its CMakeLists.txt says: "name:used,used;name:…".
std::map<std::string, std::set<std::string>> arrows_of(const std::string& list) {
  std::map<std::string, std::set<std::string>> arrows;
  std::istringstream modules(list);
  for (std::string module; std::getline(modules, module, ';');) {
    const auto colon = module.find(':');
    auto& uses = arrows[module.substr(0, colon)];
    std::istringstream names(module.substr(colon + 1));
    for (std::string name; std::getline(names, name, ',');) uses.insert(name);
  }
  return arrows;
}

const auto arrows = arrows_of(ASSAY_MODULE_ARROWS);

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

/// The symbols of a module's objects: those that it defines, and those that it needs from elsewhere.
struct Symbols {
  std::set<std::string> defined, needed;
};

std::map<std::string, Symbols> symbols_of_modules() {
  std::map<std::string, Symbols> all;
  std::ifstream objects(ASSAY_MODULE_OBJECTS);
  for (std::string module, object; objects >> module && std::getline(objects >> std::ws, object);) {
    const auto command = std::string(ASSAY_NM) + " --portability --no-sort '" + object + "'";
    const std::unique_ptr<FILE, int (*)(FILE*)> listed(popen(command.c_str(), "r"), pclose);
    std::string text;
    std::array<char, 65536> part{};
    for (std::size_t n = 0; (n = fread(part.data(), 1, part.size(), listed.get())) > 0;)
      text.append(part.data(), n);
    auto& [defined, needed] = all[module];
    for (std::size_t line = 0; line < text.size();
         line = text.find('\n', line) + 1) {  // "name kind value size"
      const auto blank = text.find(' ', line);
      const auto kind = text.at(blank + 1);
      if (kind == 'w' || kind == 'v') continue;  // used where it is there
      (kind == 'U' ? needed : defined).insert(text.substr(line, blank - line));
    }
  }
  return all;
}

/// Of those modules that define a symbol, is one the module itself or used by it?
bool has_one(const std::set<std::string>& definers, const std::string& module) {
  return std::ranges::any_of(definers, [&](const std::string& definer) {
    return definer == module || arrows.at(module).contains(definer);
  });
}

TEST(House, EachModuleLinksWithWhatItSaysThatItUses) {
  const auto symbols = symbols_of_modules();
  std::map<std::string, std::set<std::string>> definers;  // of each symbol
  for (const auto& [module, its] : symbols)
    for (const auto& name : its.defined) definers[name].insert(module);
  std::size_t seen = 0;
  for (const auto& [module, its] : symbols) {
    ASSERT_TRUE(arrows.contains(module)) << module;
    for (const auto& name : its.needed) {
      const auto found = definers.find(name);
      if (found == definers.end()) continue;  // of a library, or of the compiler
      ++seen;
      EXPECT_TRUE(has_one(found->second, module))
          << module << " needs " << name << " of " << *found->second.begin();
    }
  }
  EXPECT_EQ(symbols.size(), arrows.size());
  EXPECT_GT(seen, 500U);
}

TEST(House, TheToolIsWrittenAgainstWhatUsersHaveAndAProgramsParts) {
  std::size_t seen = 0;
  for (const auto& include : all_includes()) {
    if (include.module != "cli" || !include.target.starts_with("assay/")) continue;
    const auto target = module_of(include.target.substr(6));
    EXPECT_TRUE(target.empty() || target == "program" || target == "cli")
        << include.file << " must not include " << include.target;
    ++seen;
  }
  EXPECT_GT(seen, 30U);
}

TEST(House, EachSourceHasAHeaderOfItsNameAndIncludesItFirst) {
  std::size_t seen = 0;
  for (const auto& entry : fs::recursive_directory_iterator(source / "assay")) {
    const auto path = fs::relative(entry.path(), source / "assay").string();
    // Commands are told apart by cli/command.hpp; some programs and one library have a file of their own.
    if (entry.path().extension() != ".cpp" || path.starts_with("cli/") ||
        path == "measure/launcher/launcher.cpp" || path == "relink/shim/shim.cpp" ||
        path == "contest/counting_new/counting_new.cpp")
      continue;
    auto header = entry.path();
    EXPECT_TRUE(fs::exists(header.replace_extension(".hpp"))) << path;
    // First, so that a header that leans on what others include shows.
    std::ifstream in(entry.path());
    std::string first;
    std::getline(in, first);
    EXPECT_EQ(first, "#include \"" + fs::relative(header, source).string() + "\"") << path;
    ++seen;
  }
  EXPECT_GT(seen, 150U);
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
