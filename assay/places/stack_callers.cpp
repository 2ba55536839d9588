#include "assay/places/stack_callers.hpp"

#include <dwarf.h>
#include <elfutils/libdw.h>

#include <cstdlib>
#include <cstring>

#include "assay/measure/program_file.hpp"
#include "assay/places/elf_file.hpp"

namespace assay::places {

namespace {

constexpr std::size_t return_address = measure::StackCopy::instruction;

/// The canonical frame address; false where it is more than a register and a distance.
bool read_frame_address(Dwarf_Frame* frame, FrameRule& rule) {
  Dwarf_Op* steps = nullptr;
  std::size_t count = 0;
  if (dwarf_frame_cfa(frame, &steps, &count) != 0 || count != 1) return false;
  if (steps->atom >= DW_OP_breg0 && steps->atom <= DW_OP_breg15) {
    rule.frame_register = steps->atom - DW_OP_breg0;
    rule.frame_distance = static_cast<std::int64_t>(steps->number);
    return true;
  }
  if (steps->atom != DW_OP_bregx || steps->number >= return_address) return false;
  rule.frame_register = steps->number;
  rule.frame_distance = static_cast<std::int64_t>(steps->number2);
  return true;
}

/// Where a register of the caller is saved; none where it is unchanged, undefined, or harder to find.
std::optional<std::int64_t> place_of_register(Dwarf_Frame* frame, std::size_t number) {
  Dwarf_Op room[3];
  Dwarf_Op* steps = nullptr;
  std::size_t count = 0;
  if (dwarf_frame_register(frame, static_cast<int>(number), room, &steps, &count) != 0 || count == 0 ||
      steps[0].atom != DW_OP_call_frame_cfa)
    return {};
  if (count == 1) return 0;
  if (count == 2 && steps[1].atom == DW_OP_plus_uconst) return static_cast<std::int64_t>(steps[1].number);
  return {};
}

}  // namespace

/// The call frame information of a file.
class StackCallers::Frames {
 public:
  Frames(const std::string& path, const std::string& build_id) : file_(path) {
    if (!file_.elf || (!build_id.empty() && measure::build_id_of(path) != build_id)) return;
    std::size_t count = 0;
    elf_getphdrnum(file_.elf.get(), &count);
    for (std::size_t i = 0; i < count; ++i) {
      GElf_Phdr head;
      if (gelf_getphdr(file_.elf.get(), static_cast<int>(i), &head) != nullptr && head.p_type == PT_LOAD)
        segments_.push_back(head);
    }
    frames_.reset(dwarf_getcfi_elf(file_.elf.get()));
  }

  const std::optional<FrameRule>& rule_at(std::uint64_t offset) {
    const auto [at, fresh] = rules_.try_emplace(offset);
    if (fresh) at->second = read_rule(offset);
    return at->second;
  }

 private:
  struct End {
    void operator()(Dwarf_CFI* of) const { dwarf_cfi_end(of); }
    void operator()(Dwarf_Frame* of) const { std::free(of); }
  };

  std::optional<FrameRule> read_rule(std::uint64_t offset) const {
    for (const auto& segment : segments_) {
      if (offset < segment.p_offset || offset - segment.p_offset >= segment.p_filesz) continue;
      Dwarf_Frame* found = nullptr;
      if (!frames_ ||
          dwarf_cfi_addrframe(frames_.get(), offset - segment.p_offset + segment.p_vaddr, &found) != 0)
        return {};
      const std::unique_ptr<Dwarf_Frame, End> frame(found);
      FrameRule rule;
      if (!read_frame_address(frame.get(), rule)) return {};
      for (std::size_t number = 0; number <= return_address; ++number)
        rule.saved[number] = place_of_register(frame.get(), number);
      if (!rule.saved[return_address]) return {};  // the first function of a thread
      return rule;
    }
    return {};
  }

  ElfFile file_;
  std::vector<GElf_Phdr> segments_;
  std::unique_ptr<Dwarf_CFI, End> frames_;
  std::map<std::uint64_t, std::optional<FrameRule>> rules_;
};

StackCallers::StackCallers() = default;
StackCallers::~StackCallers() = default;

const std::optional<FrameRule>& StackCallers::rule_at(const measure::CodePlace& place) {
  auto& file = files_[{place.file, place.build_id}];
  if (!file) file = std::make_unique<Frames>(place.file, place.build_id);
  return file->rule_at(place.offset);
}

std::vector<measure::CodePlace> StackCallers::callers(const measure::StackCopy& copy,
                                                      const PlaceOf& place_of) {
  using measure::StackCopy;
  std::vector<measure::CodePlace> found;
  auto registers = copy.registers;
  const auto bottom = copy.registers[StackCopy::stack_pointer];
  const auto read = [&](std::uint64_t address) -> std::optional<std::uint64_t> {
    std::uint64_t value = 0;
    if (address < bottom || address - bottom > copy.stack.size() ||
        copy.stack.size() - (address - bottom) < sizeof value)
      return {};
    std::memcpy(&value, copy.stack.data() + (address - bottom), sizeof value);
    return value;
  };
  auto place = place_of(registers[return_address]);
  constexpr int most_calls = 64;
  for (int i = 0; i < most_calls && place.process == 0 && !place.file.empty(); ++i) {
    const auto& rule = rule_at(place);
    if (!rule) break;
    const auto frame = registers[rule->frame_register] + static_cast<std::uint64_t>(rule->frame_distance);
    auto next = registers;
    for (std::size_t number = 0; number < next.size(); ++number)
      if (const auto& saved = rule->saved[number]) {
        const auto value = read(frame + static_cast<std::uint64_t>(*saved));
        if (!value && number == return_address) return found;
        next[number] = value.value_or(0);
      }
    next[StackCopy::stack_pointer] = frame;
    registers = next;
    auto caller =
        place_of(registers[return_address] - 1);  // of the call, which may be the function's last instruction
    if (caller.process == 0 && !caller.file.empty() && caller.file != place.file) found.push_back(caller);
    if (caller.in_program) break;
    place = std::move(caller);
  }
  return found;
}

}  // namespace assay::places
