#include "assay/plan/project_detection.hpp"

#include <re2/re2.h>

#include <algorithm>
#include <array>
#include <filesystem>
#include <fstream>
#include <iterator>

namespace assay::plan {
namespace fs = std::filesystem;
namespace {

using Words = std::vector<std::string>;

std::string content_of(const fs::path& path) {
  std::ifstream file(path, std::ios::binary);
  return {std::istreambuf_iterator<char>(file), {}};
}

/// The first groups of all matches, each once.
Words all_matches(const std::string& text, const RE2& pattern) {
  Words found;
  re2::StringPiece rest = text;
  for (std::string name; RE2::FindAndConsume(&rest, pattern, &name);)
    if (std::ranges::count(found, name) == 0) found.push_back(name);
  return found;
}

/// Programs that CMakeLists.txt files name, in this folder and those below it that it is likely to have them
/// in.
Words programs_of_cmake(const fs::path& folder) {
  static const RE2 pattern(R"((?m)^[ \t]*add_executable[ \t]*\([ \t\n]*([A-Za-z0-9_.+-]+))");
  Words programs;
  std::error_code failed;
  std::vector<fs::path> places = {""};
  for (const auto& entry : fs::directory_iterator(folder, failed))
    if (entry.is_directory(failed)) places.push_back(entry.path().filename());
  std::ranges::sort(places);
  for (const auto& place : places)
    for (const auto& name : all_matches(content_of(folder / place / "CMakeLists.txt"), pattern))
      programs.push_back((fs::path("${out}") / place / name).string());
  return programs;
}

Words programs_of_meson(const fs::path& folder) {
  static const RE2 pattern(R"(\bexecutable\([ \t\n]*'([^']+)')");
  Words programs;
  for (const auto& name : all_matches(content_of(folder / "meson.build"), pattern))
    programs.push_back("${out}/" + name);
  return programs;
}

Words programs_of_cargo(const fs::path& folder) {
  static const RE2 pattern(R"re((?m)^[ \t]*name[ \t]*=[ \t]*"([^"]+)")re");
  Words programs;
  for (const auto& name : all_matches(content_of(folder / "Cargo.toml"), pattern))
    programs.push_back("${out}/release/" + name);
  return programs;
}

Words programs_of_go(const fs::path& folder) {
  static const RE2 pattern(R"((?m)^module[ \t]+(?:\S*/)?([^/\s]+)[ \t]*$)");
  Words programs;
  for (const auto& name : all_matches(content_of(folder / "go.mod"), pattern))
    programs.push_back("${out}/" + name);
  return programs;
}

Words programs_of_npm(const fs::path& folder) {
  static const RE2 pattern(R"re("main"[ \t]*:[ \t]*"([^"]+)")re");
  Words programs;
  for (const auto& file : all_matches(content_of(folder / "package.json"), pattern))
    programs.push_back((fs::path("${source}") / file).lexically_normal().string());
  return programs;
}

struct Kind {
  const char *name, *file;
  Project (*project)(const fs::path& folder);
};

const std::array<Kind, 8>& kinds() {
  static const std::array<Kind, 8> all = {{
      {"CMake", "CMakeLists.txt",
       [](const fs::path& folder) {
         return Project{
             .build = {.steps = {{"cmake", "-S", ".", "-B", "${out}", "-DCMAKE_BUILD_TYPE=Release"},
                                 {"cmake", "--build", "${out}", "-j", "${jobs}"}}},
             .programs = programs_of_cmake(folder)};
       }},
      {"Meson", "meson.build",
       [](const fs::path& folder) {
         return Project{.build = {.steps = {{"meson", "setup", "${out}", "--buildtype=release"},
                                            {"meson", "compile", "-C", "${out}", "-j", "${jobs}"}}},
                        .programs = programs_of_meson(folder)};
       }},
      {"Cargo", "Cargo.toml",
       [](const fs::path& folder) {
         return Project{
             .build = {.steps = {{"cargo", "build", "--release", "--target-dir", "${out}", "-j", "${jobs}"}}},
             .programs = programs_of_cargo(folder)};
       }},
      {"Go", "go.mod",
       [](const fs::path& folder) {
         return Project{.build = {.steps = {{"go", "build", "-p", "${jobs}", "-o", "${out}/", "./..."}}},
                        .programs = programs_of_go(folder)};
       }},
      {"npm", "package.json",
       [](const fs::path& folder) {
         const bool locked = fs::exists(folder / "package-lock.json");
         return Project{.build = {.steps = {{"npm", locked ? "ci" : "install", "--no-audit", "--no-fund"},
                                            {"npm", "run", "build", "--if-present"}}},
                        .programs = programs_of_npm(folder)};
       }},
      {"configure", "configure",
       [](const fs::path&) {
         return Project{.build = {.steps = {{"./configure"}, {"make", "-j", "${jobs}"}}}};
       }},
      {"Make", "Makefile",
       [](const fs::path&) {
         return Project{.build = {.steps = {{"make", "-j", "${jobs}"}}}};
       }},
      {"Make", "GNUmakefile",
       [](const fs::path&) {
         return Project{.build = {.steps = {{"make", "-j", "${jobs}"}}}};
       }},
  }};
  return all;
}

std::string in_toml(const std::string& word) {
  std::string text = "\"";
  for (const char c : word) text += c == '"' || c == '\\' ? std::string{'\\', c} : std::string{c};
  return text + "\"";
}

std::string in_toml(const Words& words) {
  std::string text;
  for (const auto& word : words) text += (text.empty() ? "[" : ", ") + in_toml(word);
  return text + "]";
}

/// Programs that lie in the folder, or in one that builds use to leave them in: at most three.
Words programs_in(const fs::path& folder) {
  constexpr std::size_t enough = 3;
  Words found;
  for (const char* place : {"", "bin", "build", "out", "target/release"}) {
    std::error_code failed;
    Words here;
    for (const auto& entry : fs::directory_iterator(folder / place, failed)) {
      constexpr auto runnable = fs::perms::owner_exec;
      if (!entry.is_regular_file(failed) ||
          (entry.status(failed).permissions() & runnable) == fs::perms::none)
        continue;
      std::ifstream file(entry.path(), std::ios::binary);
      std::string magic(4, '\0');
      if (file.read(magic.data(), 4) && magic ==
                                            "\x7f"
                                            "ELF")
        here.push_back("./" + (fs::path(place) / entry.path().filename()).string());
    }
    std::ranges::sort(here);
    found.insert(found.end(), here.begin(), here.end());
  }
  if (found.size() > enough) found.resize(enough);
  return found;
}

}  // namespace

std::optional<Project> detect_project(const std::string& folder) {
  for (const auto& kind : kinds()) {
    std::error_code failed;
    if (!fs::is_regular_file(fs::path(folder) / kind.file, failed)) continue;
    auto project = kind.project(folder);
    project.kind = kind.name;
    project.file = kind.file;
    return project;
  }
  return {};
}

std::string project_files() {
  std::string text;
  for (const auto& kind : kinds()) text += (text.empty() ? "" : ", ") + std::string(kind.file);
  return text;
}

std::string starter_plan(const std::string& folder, bool in_git) {
  const auto project = detect_project(folder);
  const auto programs = programs_in(folder);
  std::string text =
      "# What is compared, and how; docs/plan-file.md has every key.\n"
      "#   assay run --show    prints what would be run, and runs nothing\n"
      "#   assay run           carries it out\n\n"
      "[plan]\nmargin = \"1 %\"          # the smallest change that matters\n\n"
      "[rounds]\nbudget = \"5 min\"        # it ends sooner when all is decided\n\n";
  const bool builds = project && in_git;
  if (builds) {
    text += "# A " + project->kind + " project (" + project->file +
            "); each commit is built in a cache of its own. ${out} is where it goes.\n[build]\nsteps = [\n";
    for (const auto& step : project->build.steps) text += "  " + in_toml(step) + ",\n";
    text += "]\n";
    const auto exe = project->programs.empty() ? std::string("${source}/FILL-IN") : project->programs.front();
    text += "exe   = " + in_toml(exe) +
            (project->programs.empty() ? "  # the program that the build leaves" : "") + "\n";
    for (std::size_t i = 1; i < project->programs.size(); ++i)
      text += "# exe = \"" + project->programs[i] + "\"\n";
    text +=
        "\n[[candidate]]\ncommits = [\"HEAD\", \".\"]   # the last commit, and the working tree with its "
        "edits\n";
  } else {
    const auto old_one = programs.empty() ? std::string("./old") : programs[0];
    const auto new_one = programs.size() > 1 ? programs[1] : std::string("./new");
    for (const auto& [name, exe] : {std::pair<std::string, std::string>{"old", old_one}, {"new", new_one}})
      text += "[[candidate]]\nname = \"" + name + "\"\nexe  = " + in_toml(exe) + "\n\n";
    if (programs.size() < 2)
      text += "# Write the programs that are to be compared above; the first is the baseline.\n";
  }
  text +=
      "\n[[workload]]\nname  = \"first\"\nrun   = [\"${exe}\"]       # add the arguments of your work: "
      "[\"${exe}\", "
      "\"in.txt\"]\n# stdin = \"in.txt\"       # what it reads, if it does\ncheck = { equal = \"stdout\" }  "
      "# every "
      "candidate must answer as the baseline does\n\n"
      "# [gate]\n# allow = \"2 %\"          # assay gate fails when anything is worse by more\n";
  return text;
}

}  // namespace assay::plan
