#pragma once

#include <gtest/gtest.h>

#include <filesystem>
#include <map>
#include <regex>
#include <sstream>
#include <string>
#include <vector>

#include "assay/measure/process.hpp"
#include "assay/relink/captured_links.hpp"
#include "assay/relink/code_map.hpp"
#include "assay/relink/relinker.hpp"
#include "support/tool.hpp"

namespace assay::test {
using namespace model;

/// Small programs that are built with the real compiler, through the shim.
class Linked : public testing::Test {
 protected:
  /// A program of three files in a folder of its own: what it prints is 42 where objects are initialised in
  /// the order of the command line, else 1. `more` is added to its loops.
  std::string sources(const std::string& folder, const std::string& more = {}) {
    scratch_.file(folder + "/first.cpp", "int x = 1;\nstruct Early { Early() { x = 42; } } early;\n");
    scratch_.file(
        folder + "/loops.cpp",
        "int add(const int* p, int n) { int s = 0; for (int i = 0; i < n; ++i) s += p[i] ^ i; return s; }\n"
        "int count(const char* p) { int n = 0; while (*p) n += *p++ == 'o'; return n; }\n"
        "static int half(int x) { return x > 1 ? half(x / 2) + 1 : 0; }\n"
        "int halves(int x) { return half(x) + half(x + 3); }\n" +
            more);
    scratch_.file(
        folder + "/main.cpp",
        "#include <stdio.h>\nextern int x;\nint y = x;\nint add(const int*, int);\nint count(const "
        "char*);\nint halves(int);\nint main() { int p[3] = {y, 2, 3}; printf(\"%d %d\\n\", y, add(p, 3) + "
        "count(\"towpath\") + halves(9)); }\n");
    return scratch_.path(folder);
  }

  /// Runs a shell command in a folder with its links kept; the folder's own, `links`.
  Ran build(const std::string& folder, const std::string& command) {
    const auto links = relink::links_in(folder + "/relink");
    std::filesystem::create_directories(links);
    std::vector<std::string> words = {"/usr/bin/env", "-C", folder};
    for (auto& variable : relink::capturing_environment(relink::shim_folder(scratch_.path("shim")), links))
      words.push_back(variable);
    words.insert(words.end(), {"sh", "-c", command});
    return run(scratch_, words);
  }

  std::vector<relink::CapturedLink> links(const std::string& folder) const {
    return relink::captured_links(relink::links_in(folder + "/relink"));
  }

  /// The proved link of a folder's `program`; its problem where it can't be done again.
  relink::Relinker relinker(const std::string& folder, const std::string& program = "program") {
    const auto all = links(folder);
    const auto* link = relink::link_of(all, folder + "/" + program);
    if (link == nullptr) throw std::runtime_error("no link was seen");
    relink::Relinker relinker(*link, launcher_, folder + "/work");
    problem_ = relinker.verify({});
    return relinker;
  }

  Ran ran(const std::string& program) { return run(scratch_, {program}); }

  /// Addresses of the program's functions.
  std::map<std::string, std::uint64_t> addresses(const std::string& program) {
    std::map<std::string, std::uint64_t> found;
    std::istringstream lines(run(scratch_, {"/usr/bin/nm", "--defined-only", program}).out);
    for (std::string address, kind, name; lines >> address >> kind >> name;)
      if (kind == "T" || kind == "t") found[name] = std::stoull(address, nullptr, 16);
    return found;
  }

  /// The program's instructions by function, without addresses and padding.
  std::map<std::string, std::string> instructions(const std::string& program) {
    const std::regex number("0x[0-9a-f]+|\\b[0-9a-f]{3,}\\b|<[^>]*>|#.*"),
        padding("nop|xchg +%ax,%ax|data16");
    std::map<std::string, std::string> found;
    std::istringstream lines(
        run(scratch_, {"/usr/bin/objdump", "-d", "--no-show-raw-insn", "--section=.text", program}).out);
    std::string function;
    for (std::string line; std::getline(lines, line);) {
      const auto open = line.find('<');
      if (line.ends_with(">:") && open != std::string::npos) {
        function = line.substr(open);
        continue;
      }
      const auto tab = line.find('\t');
      if (tab == std::string::npos || std::regex_search(line, padding)) continue;
      found[function] += std::regex_replace(line.substr(tab), number, "N") + "\n";
    }
    return found;
  }

  Scratch scratch_;
  measure::Launcher launcher_;
  std::string problem_;
};

}  // namespace assay::test
