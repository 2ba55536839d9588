#include <gtest/gtest.h>

#include <algorithm>
#include <array>
#include <cstdio>
#include <fstream>
#include <map>
#include <memory>
#include <set>
#include <string>

#include "house/arrows.hpp"

namespace {

using assay::test::arrows;

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

TEST(House, EachModuleLinksWithWhatItReportsThatItUses) {
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

}  // namespace
