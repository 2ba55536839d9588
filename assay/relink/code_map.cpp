#include "assay/relink/code_map.hpp"

#include <algorithm>
#include <array>
#include <charconv>
#include <filesystem>
#include <map>
#include <string_view>
#include <utility>

#include "assay/measure/file_io.hpp"
#include "assay/model/error.hpp"

namespace assay::relink {

namespace {

std::string_view after_spaces(std::string_view text) {
  const auto at = text.find_first_not_of(" \t");
  return at == std::string_view::npos ? std::string_view() : text.substr(at);
}

/// Takes a number like 0x1f off the front of a text.
bool take_number(std::string_view& text, std::uint64_t& number) {
  text = after_spaces(text);
  if (!text.starts_with("0x")) return false;
  const auto [end, error] = std::from_chars(text.data() + 2, text.data() + text.size(), number, 16);
  if (error != std::errc()) return false;
  text.remove_prefix(static_cast<std::size_t>(end - text.data()));
  return true;
}

bool is_code(std::string_view name) { return name == ".text" || name.starts_with(".text."); }

constexpr std::array<std::string_view, 5> kinds = {".text.unlikely", ".text.exit", ".text.startup",
                                                   ".text.hot", ".text.sorted"};

int kind_of(std::string_view name) {
  for (std::size_t i = 0; i < kinds.size(); ++i)
    if (name == kinds[i] || (name.starts_with(kinds[i]) && name[kinds[i].size()] == '.'))
      return static_cast<int>(i);
  if (name.ends_with("_unlikely")) return 0;
  return static_cast<int>(kinds.size());
}

/// Whether a section is named after its kind alone.
bool has_no_function(std::string_view name) {
  return name == ".text" || std::ranges::find(kinds, name) != kinds.end();
}

/// An object's file, its archive's, and its own name within.
struct ObjectName {
  std::string file, member;

  explicit ObjectName(const std::string& text) : file(text) {
    const auto open = text.rfind('(');
    if (text.empty() || text.back() != ')' || open == std::string::npos) return;
    file = text.substr(0, open);
    member = text.substr(open + 1, text.size() - open - 2);
  }
  std::string base() const {
    return member.empty() ? std::filesystem::path(file).filename().string() : member;
  }
  std::string pattern() const { return "\"" + file + (member.empty() ? "" : ":" + member) + "\""; }
};

}  // namespace

CodeMap read_code_map(const std::string& map) {
  CodeMap found;
  auto at = map.find("\nLinker script and memory map");
  if (at == std::string::npos) return found;
  std::string name;  // of a section whose figures are on the next line
  bool inside = false;
  while (at < map.size()) {
    const auto end = std::min(map.find('\n', at), map.size());
    std::string_view line(map.data() + at, end - at);
    at = end + 1;
    if (!line.empty() && line.front() != ' ') {
      const bool begins = line == ".text" || line.starts_with(".text ");
      inside = begins;
      name.clear();
      if (begins) {
        line.remove_prefix(5);
        if (!take_number(line, found.start)) name = "\n";  // its figures follow
      }
      continue;
    }
    if (!inside) continue;
    if (name == "\n") {
      take_number(line, found.start);
      name.clear();
      continue;
    }
    if (line.size() > 1 && line[1] == '.') {
      line.remove_prefix(1);
      const auto space = line.find(' ');
      name = line.substr(0, space);
      line = space == std::string_view::npos ? std::string_view() : line.substr(space);
      if (after_spaces(line).empty()) continue;
    }
    CodeSection section{.name = std::exchange(name, {}), .file = {}};
    if (!is_code(section.name) || !take_number(line, section.address) || !take_number(line, section.size))
      continue;
    section.file = after_spaces(line);
    if (section.size > 0 && !section.file.empty()) found.sections.push_back(std::move(section));
  }
  return found;
}

std::vector<CodePiece> pieces_of(const CodeMap& map) {
  std::vector<CodePiece> pieces;
  std::map<std::pair<std::string, std::string>, std::size_t> known;  // by pattern and section
  std::map<CodeKey, int> count;
  std::map<std::string, bool> there;
  for (const auto& section : map.sections) {
    const ObjectName object(section.file);
    auto [is, fresh] = there.try_emplace(object.file, false);
    std::error_code failed;
    if (fresh) is->second = std::filesystem::exists(object.file, failed);
    const auto pattern = is->second ? object.pattern() : "*";
    const auto [place, first] = known.try_emplace({pattern, section.name}, pieces.size());
    if (!first) {
      auto& piece = pieces[place->second];
      const auto end = section.address + section.size;
      piece.size = end > piece.address + piece.size ? end - piece.address : piece.size;
      continue;
    }
    CodeKey key{.kind = kind_of(section.name), .name = section.name, .object = {}};
    if (has_no_function(section.name) && is->second) key.object = object.base();
    key.ordinal = count[key]++;
    pieces.push_back({key, pattern, section.name, section.address, section.size});
  }
  return pieces;
}

namespace fs = std::filesystem;

std::string links_in(const std::string& folder) { return folder + "/links"; }
std::string layouts_in(const std::string& folder) { return folder + "/layouts"; }

std::string back_up_original(const std::string& folder, const std::string& program) {
  const auto own = fs::path(folder) / "own" / measure::digest_of(program).substr(0, 16);
  std::error_code failed;
  if (fs::exists(own, failed)) return own.string();
  fs::create_directories(own.parent_path(), failed);
  if (!failed && !measure::write_file(own.string() + ".path", program))
    failed = std::make_error_code(std::errc::no_space_on_device);
  if (!failed) fs::create_hard_link(program, own, failed);
  if (failed)
    throw Error("the program can't be kept: " + failed.message(), own.string(), "make room there",
                Error::Code::measuring);
  return own.string();
}

void install(const std::string& file, const std::string& program) {
  const auto draft = program + ".assay";
  std::error_code failed;
  if (fs::equivalent(file, program, failed)) return;
  fs::remove(draft, failed);
  fs::create_hard_link(file, draft, failed);
  if (!failed) fs::rename(draft, program, failed);
  if (failed)
    throw Error("a layout can't be put in place: " + failed.message(), program, "make room there",
                Error::Code::measuring);
}

void restore_originals(const std::string& folder) {
  std::error_code failed;
  for (fs::directory_iterator at(fs::path(folder) / "own", failed), end; !failed && at != end;
       at.increment(failed)) {
    if (at->path().extension() == ".path") continue;
    const auto program = measure::content_of(at->path().string() + ".path");
    if (program.empty()) continue;
    try {
      install(at->path().string(), program);
    } catch (const Error&) {
      continue;
    }
  }
}

}  // namespace assay::relink
