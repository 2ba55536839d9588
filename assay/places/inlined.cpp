#include "assay/places/inlined.hpp"

#include <dwarf.h>
#include <elfutils/libdw.h>

#include <algorithm>
#include <utility>

#include "assay/places/code_file.hpp"
#include "assay/places/elf_file.hpp"

namespace assay::places {

/// The open file, and which unit of the source has which code.
struct InlinedFunctions::Debug {
  struct End {
    void operator()(Dwarf* of) const { dwarf_end(of); }
  };
  struct Range {
    std::uint64_t begin, end;
    Dwarf_Off unit;  ///< of its entry
  };
  explicit Debug(const std::string& path) : file(path) {
    bool any = false;
    if (file.elf)
      each_section(file.elf.get(), [&](Elf_Scn*, const GElf_Shdr&, std::string_view name) {
        any = any || name == ".debug_info" || name == ".zdebug_info";
      });
    if (any) dwarf.reset(dwarf_begin_elf(file.elf.get(), DWARF_C_READ, nullptr));
    if (!dwarf) return;
    Dwarf_Off unit = 0, next = 0;
    std::size_t head = 0;
    for (; dwarf_nextcu(dwarf.get(), unit, &next, &head, nullptr, nullptr, nullptr) == 0; unit = next) {
      Dwarf_Die entry;
      if (dwarf_offdie(dwarf.get(), unit + head, &entry) == nullptr) continue;
      Dwarf_Addr base = 0, begin = 0, end = 0;
      for (std::ptrdiff_t at = 0; (at = dwarf_ranges(&entry, at, &base, &begin, &end)) > 0;)
        ranges.push_back({.begin = begin, .end = end, .unit = unit + head});
    }
    std::ranges::sort(ranges, {}, &Range::begin);
  }

  ElfFile file;
  std::unique_ptr<Dwarf, End> dwarf;
  std::vector<Range> ranges;
};

namespace {

std::string name_of(Dwarf_Die* entry) {
  Dwarf_Attribute attribute;
  const char* text = nullptr;
  if (dwarf_attr_integrate(entry, DW_AT_linkage_name, &attribute) != nullptr)
    text = dwarf_formstring(&attribute);
  if (text == nullptr) text = dwarf_diename(entry);
  return text == nullptr ? std::string() : source_name(text);
}

/// Calls take(begin, end, parent, name), which returns the place of what it took, for each stretch of code of the
/// functions from this entry on and of what is inside of them.
template <class Take>
void walk(Dwarf_Die entry, int parent, const Take& take) {
  do {
    const int tag = dwarf_tag(&entry);
    int here = parent;
    const bool is_function = tag == DW_TAG_subprogram, is_inlined = tag == DW_TAG_inlined_subroutine;
    if (is_function || is_inlined) {
      Dwarf_Addr base = 0, begin = 0, end = 0;
      int first = -1;
      std::string name;
      for (std::ptrdiff_t at = 0; (at = dwarf_ranges(&entry, at, &base, &begin, &end)) > 0;) {
        if (first < 0) name = name_of(&entry);
        const int place = take(begin, end, is_function ? -1 : parent, name);
        if (first < 0) first = place;
      }
      if (first < 0 && is_function) continue;  // declared only, or never made
      if (first >= 0) here = first;
    } else if (tag != DW_TAG_lexical_block && tag != DW_TAG_namespace && tag != DW_TAG_class_type &&
               tag != DW_TAG_structure_type) {
      continue;
    }
    Dwarf_Die child;
    if (dwarf_child(&entry, &child) == 0) walk(child, here, take);
  } while (dwarf_siblingof(&entry, &entry) == 0);
}

}  // namespace

InlinedFunctions::InlinedFunctions(const std::string& path) : debug_(std::make_unique<Debug>(path)) {}
InlinedFunctions::~InlinedFunctions() = default;

bool InlinedFunctions::any() const { return debug_->dwarf != nullptr; }

const std::vector<InlinedFunctions::Stretch>& InlinedFunctions::unit_at(std::uint64_t address) {
  static const std::vector<Stretch> none;
  const auto& ranges = debug_->ranges;
  auto range = std::ranges::upper_bound(ranges, address, {}, &Debug::Range::begin);
  if (range == ranges.begin() || address >= (--range)->end) return none;
  const auto [unit, fresh] = units_.try_emplace(range->unit);
  Dwarf_Die entry, child;
  if (fresh && dwarf_offdie(debug_->dwarf.get(), range->unit, &entry) != nullptr &&
      dwarf_child(&entry, &child) == 0) {
    auto& stretches = unit->second;
    walk(child, -1, [&](Dwarf_Addr begin, Dwarf_Addr end, int parent, const std::string& name) {
      stretches.push_back({.begin = begin, .end = end, .parent = parent, .name = name});
      return static_cast<int>(stretches.size()) - 1;
    });
  }
  return unit->second;
}

const std::vector<std::string>& InlinedFunctions::at(std::uint64_t address) {
  const auto [known, fresh] = known_.try_emplace(address);
  if (!fresh || !any()) return known->second;
  const auto& stretches = unit_at(address);
  int innermost = -1;  // the shortest that has the address
  const auto length = [&](int i) {
    const auto& of = stretches[static_cast<std::size_t>(i)];
    return of.end - of.begin;
  };
  for (int i = 0; i < static_cast<int>(stretches.size()); ++i) {
    const auto& stretch = stretches[static_cast<std::size_t>(i)];
    if (address >= stretch.begin && address < stretch.end &&
        (innermost < 0 || length(i) <= length(innermost)))
      innermost = i;
  }
  for (int i = innermost; i >= 0; i = stretches[static_cast<std::size_t>(i)].parent)
    if (!stretches[static_cast<std::size_t>(i)].name.empty())
      known->second.push_back(stretches[static_cast<std::size_t>(i)].name);
  return known->second;
}

}  // namespace assay::places
