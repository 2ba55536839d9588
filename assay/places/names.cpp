#include "assay/places/names.hpp"

#include <sys/stat.h>
#include <unistd.h>

#include <algorithm>
#include <charconv>
#include <sstream>

#include "assay/measure/file_io.hpp"
#include "assay/model/text.hpp"

namespace assay::places {

namespace {

std::string base_name(const std::string& path) { return path.substr(path.rfind('/') + 1); }

std::string address_text(std::uint64_t value) {
  char digits[17];
  constexpr int base = 16;
  return {digits, std::to_chars(digits, digits + sizeof digits, value, base).ptr};
}

}  // namespace

const std::string& Names::of(const measure::CodePlace& place) {
  if (place.file.empty() || place.file.front() != '/' || place.file.starts_with("//") ||
      place.file.starts_with("/memfd:"))
    return place.file == "[vdso]" ? known_.try_emplace({nullptr, 0}, "the kernel's vdso").first->second
                                  : run_time_code(place);
  auto& file = files_[{place.file, place.build_id}];
  if (!file) file = std::make_unique<CodeFile>(place.file, place.build_id);
  const auto [known, fresh] = known_.try_emplace({file.get(), place.offset});
  if (fresh) known->second = model::printable(find(place));
  return known->second;
}

std::string run_time_name(std::string_view listed) {
  for (const std::string_view kind : {"JS:", "LazyCompile:", "Function:", "Script:", "Eval:"})
    if (listed.starts_with(kind)) listed.remove_prefix(kind.size());
  constexpr std::string_view markers = "*~^+`";
  if (!listed.empty() && markers.find(listed.front()) != std::string_view::npos) listed.remove_prefix(1);
  const auto space = listed.find(' ');
  if (space == std::string_view::npos || listed.find(':', space) == std::string_view::npos)
    return std::string(listed);
  if (space > 0) return std::string(listed.substr(0, space));
  auto place = listed.substr(listed.rfind('/') == std::string_view::npos ? 1 : listed.rfind('/') + 1);
  if (const auto column = place.rfind(':'); column != place.find(':')) place = place.substr(0, column);
  return "function without a name in " + std::string(place);
}

const std::string& Names::run_time_code(const measure::CodePlace& place) {
  if (place.process <= 0) return unnamed_;
  const auto [map, fresh] = run_time_.try_emplace(place.process);
  auto& functions = map->second;
  if (fresh) {
    const auto path = "/tmp/perf-" + std::to_string(place.process) + ".map";
    struct stat file {};
    if (lstat(path.c_str(), &file) == 0 && S_ISREG(file.st_mode) && file.st_uid == geteuid()) {
      std::istringstream lines(measure::content_of(path));
      std::uint64_t address = 0, bytes = 0;
      for (std::string name; lines >> std::hex >> address >> bytes >> std::ws && std::getline(lines, name);)
        functions[address] = {bytes,
                              model::printable(run_time_name(name))};  // the last one at an address holds
    }
  }
  auto found = functions.upper_bound(place.offset);
  if (found == functions.begin() || place.offset - (--found)->first >= found->second.first) return unnamed_;
  return found->second.second;
}

std::string Names::find(const measure::CodePlace& place) {
  const auto& file = *files_.at({place.file, place.build_id});
  if (file.is_stub(place.offset)) return "calls into libraries";
  const auto* function = file.at_offset(place.offset);
  if (function == nullptr) return "code in " + base_name(place.file);
  if (function->symbol.empty())
    return "function at " + address_text(function->address) + " in " + base_name(place.file);
  return source_name(function->symbol);
}

std::vector<std::string> Names::replaced_files() const {
  std::vector<std::string> files;
  for (const auto& [which, file] : files_)
    if (file->was_replaced()) files.push_back(which.first);
  return files;
}

const std::vector<std::string>& Names::inlined_at(const measure::CodePlace& place) {
  static const std::vector<std::string> none;
  const auto* file = file_of(place);
  if (file == nullptr || file->was_replaced()) return none;
  auto& inlined = inlined_[file];
  if (!inlined) inlined = std::make_unique<InlinedFunctions>(file->path());
  return inlined->any() ? inlined->at(file->address_of(place.offset)) : none;
}

std::vector<const CodeFile*> Names::debugged_files() const {
  std::vector<const CodeFile*> files;
  for (const auto& [file, inlined] : inlined_)
    if (inlined->any()) files.push_back(file);
  return files;
}

const CodeFile* Names::file_of(const measure::CodePlace& place) const {
  const auto file = files_.find({place.file, place.build_id});
  return file == files_.end() ? nullptr : file->second.get();
}

bool Names::is_nameless(const measure::CodePlace& place) const {
  const auto* file = file_of(place);
  return file != nullptr && !file->has_names() && !file->was_replaced();
}

}  // namespace assay::places
