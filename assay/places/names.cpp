#include "assay/places/names.hpp"

#include <algorithm>
#include <charconv>

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
                                  : run_time_code_;
  auto& file = files_[{place.file, place.build_id}];
  if (!file) file = std::make_unique<CodeFile>(place.file, place.build_id);
  const auto [known, fresh] = known_.try_emplace({file.get(), place.offset});
  if (fresh) known->second = model::printable(find(place));
  return known->second;
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

const CodeFile* Names::file_of(const measure::CodePlace& place) const {
  const auto file = files_.find({place.file, place.build_id});
  return file == files_.end() ? nullptr : file->second.get();
}

bool Names::is_nameless(const measure::CodePlace& place) const {
  const auto* file = file_of(place);
  return file != nullptr && !file->has_names() && !file->was_replaced();
}

}  // namespace assay::places
