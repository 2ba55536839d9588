#include "assay/places/same_code.hpp"

#include <algorithm>
#include <array>
#include <cstring>
#include <string_view>
#include <vector>

#include "assay/measure/program_file.hpp"
#include "assay/places/elf_file.hpp"

namespace assay::places {

namespace {

using Bytes = std::span<const unsigned char>;

constexpr std::size_t reference = 4;  // bytes of a distance or an address

std::int32_t word_at(Bytes bytes, std::size_t at) {
  std::int32_t value = 0;
  std::memcpy(&value, bytes.data() + at, sizeof value);
  return value;
}

/// How many bytes an instruction reads at the place that its four bytes at `at` name, behind a ModRM byte; 0: it
/// takes the address only. From the opcode maps of the Intel 64 manual, volume 2, appendix A.
std::size_t bytes_read(Bytes code, std::size_t at) {
  constexpr std::size_t most = 16, vector = 32;
  if (at < 4) return most;
  const auto opcode = code[at - 2], before = code[at - 3], two_before = code[at - 4];
  constexpr unsigned char two_byte = 0x0f, vex = 0xc5, lea = 0x8d, single = 0xf3, doubled = 0xf2;
  if (at >= 5 && before == two_byte) {
    const bool has_rex = (two_before & 0xf0U) == 0x40U;
    const auto prefix = has_rex ? code[at - 5] : two_before;
    if (prefix == single) return sizeof(float);
    if (prefix == doubled) return sizeof(double);
    return (opcode & 0xf0U) == 0xb0U ? 2 : most;  // movzx, movsx
  }
  if (two_before == vex) {
    if ((before & 3U) == 2U) return sizeof(float);
    if ((before & 3U) == 3U) return sizeof(double);
    return (before & 4U) != 0 ? vector : most;
  }
  if (opcode == lea) return 0;
  return (before & 0xf8U) == 0x48U ? 8 : 4;  // REX.W
}

bool is_call_or_jump(Bytes code, std::size_t at) {
  constexpr unsigned char call = 0xe8, jump = 0xe9, two_byte = 0x0f;
  if (at >= 1 && (code[at - 1] == call || code[at - 1] == jump)) return true;
  return at >= 2 && code[at - 2] == two_byte && (code[at - 1] & 0xf0U) == 0x80U;  // conditional
}

/// Whether a ModRM byte before says "relative to the next instruction".
bool is_operand(Bytes code, std::size_t at) { return at >= 2 && (code[at - 1] & 0xc7U) == 0x05U; }

/// Without the number that compilers append to variables within functions.
std::string_view without_number(std::string_view symbol) {
  const auto end = symbol.find_last_not_of("0123456789");
  const bool numbered =
      end != std::string_view::npos && end > 0 && end + 1 < symbol.size() && symbol[end] == '.';
  return numbered ? symbol.substr(0, end) : symbol;
}

/// Whether the operand's instruction is one that usually reads or writes memory: the byte before its ModRM is such an
/// opcode. `05 01 00 00 00`, which adds 1 to a register, looks like an operand too.
bool is_memory_instruction(Bytes code, std::size_t at) {
  constexpr unsigned char two_byte = 0x0f, short_vex = 0xc5, long_vex = 0xc4;
  if (at >= 3 && code[at - 3] == two_byte) return true;
  if (at >= 4 && code[at - 4] == short_vex) return true;
  if (at >= 5 && code[at - 5] == long_vex) return true;
  constexpr std::string_view opcodes =
      "\x01\x03\x09\x0b\x21\x23\x29\x2b\x31\x33\x39\x3a\x3b\x63\x69\x6b\x80\x81\x83\x84\x85\x87\x88\x89\x8a"
      "\x8b\x8d\xc6\xc7\xd9\xdd\xf6\xf7\xff";
  return opcodes.find(static_cast<char>(code[at - 2])) != std::string_view::npos;
}

/// How many bytes of an immediate operand may follow the four that name a place.
std::span<const std::size_t> immediates(Bytes code, std::size_t at) {
  static constexpr std::array<std::size_t, 4> any = {0, 1, 4, 2};
  constexpr std::string_view with_one =
      "\x69\x6b\x70\x80\x81\x83\xa4\xac\xba\xc0\xc1\xc2\xc4\xc6\xc7\xf6\xf7";
  constexpr unsigned char three_byte = 0x3a, long_vex = 0xc4;
  const bool may = with_one.find(static_cast<char>(code[at - 2])) != std::string_view::npos ||
                   (at >= 3 && code[at - 3] == three_byte) || (at >= 5 && code[at - 5] == long_vex);
  return std::span(any).first(may ? any.size() : 1);
}

std::uint64_t after(const Function& function, std::size_t next, std::int32_t distance) {
  return function.address + next + static_cast<std::uint64_t>(static_cast<std::int64_t>(distance));
}

}  // namespace

CodeComparison::Side::Side(const CodeFile& of) : file(of) {
  for (const auto& function : of.functions())
    if (!function.symbol.empty())
      by_name.emplace(std::pair(source_name(function.symbol), function.symbol), &function);
  const ElfFile open(of.path());
  GElf_Ehdr head;
  if (!of.build_id().empty() && measure::build_id_of(of.path()) != of.build_id())
    return;  // it was replaced since
  if (!open.elf || gelf_getehdr(open.elf.get(), &head) == nullptr) return;
  is_fixed = head.e_type == ET_EXEC;
  is_x86_64 = head.e_machine == EM_X86_64;
  each_section(open.elf.get(), [&](Elf_Scn* section, const GElf_Shdr& about, std::string_view) {
    if (about.sh_type != SHT_RELA || about.sh_entsize == 0) return;
    Elf_Data* data = elf_getdata(section, nullptr);
    Elf_Scn* table = elf_getscn(open.elf.get(), about.sh_link);
    GElf_Shdr symbols;
    if (data == nullptr || table == nullptr || gelf_getshdr(table, &symbols) == nullptr) return;
    Elf_Data* names = elf_getdata(table, nullptr);
    for (int i = 0; i < static_cast<int>(about.sh_size / about.sh_entsize); ++i) {
      GElf_Rela entry;
      if (gelf_getrela(data, i, &entry) == nullptr) break;
      const auto index = static_cast<int>(GELF_R_SYM(entry.r_info));
      GElf_Sym symbol;
      if (index == 0) {
        relative[entry.r_offset] = static_cast<std::uint64_t>(entry.r_addend);
      } else if (names != nullptr && gelf_getsym(names, index, &symbol) != nullptr) {
        const char* name = elf_strptr(open.elf.get(), symbols.sh_link, symbol.st_name);
        slots[entry.r_offset] = name == nullptr ? "" : name;
      }
    }
  });
}

std::string CodeComparison::Side::stub_at(std::uint64_t address) const {
  constexpr std::size_t stub = 16, instruction = 6;
  if (address % stub != 0) return {};
  const auto code = file.bytes(address, stub);
  for (std::size_t i = 0; i + instruction <= code.size(); ++i)  // endbr64 and bnd may stand before
    if (code[i] == 0xff && code[i + 1] == 0x25) {               // jmp *slot(%rip)
      const auto slot = address + i + instruction +
                        static_cast<std::uint64_t>(static_cast<std::int64_t>(word_at(code, i + 2)));
      const auto found = slots.find(slot);
      return found == slots.end() ? std::string() : found->second;
    }
  return {};
}

CodeComparison::CodeComparison(const CodeFile& a, const CodeFile& b) : a_(a), b_(b) {}

bool CodeComparison::is_possible() const {
  return a_.is_x86_64 && b_.is_x86_64 && !a_.by_name.empty() && !b_.by_name.empty();
}

bool CodeComparison::same_place(const Place& a, const Place& b, std::size_t read) const {
  const auto* f = a_.file.at_address(a.address);
  const auto* g = b_.file.at_address(b.address);
  if (f != nullptr && g != nullptr && !f->symbol.empty() && !g->symbol.empty())
    return f->symbol == g->symbol && a.address - f->address == b.address - g->address;
  const auto* d = a_.file.data_at(a.address);
  const auto* e = b_.file.data_at(b.address);
  if (d != nullptr && e != nullptr)
    return without_number(d->symbol) == without_number(e->symbol) &&
           a.address - d->address == b.address - e->address;
  const auto slot_a = a_.slots.find(a.address), slot_b = b_.slots.find(b.address);
  if (slot_a != a_.slots.end() && slot_b != b_.slots.end()) return slot_a->second == slot_b->second;
  const auto held_a = a_.relative.find(a.address), held_b = b_.relative.find(b.address);
  if (held_a != a_.relative.end() && held_b != b_.relative.end() &&
      a_.relative.find(held_a->second) == a_.relative.end())  // a slot that holds a slot is not followed
    return same_place({a.function, held_a->second}, {b.function, held_b->second}, 0);
  if (const auto stub = a_.stub_at(a.address); !stub.empty() && stub == b_.stub_at(b.address)) return true;
  return same_constant(a, b, read);
}

/// What has no name: a table of jumps into the function itself, a text to its end, or as many bytes as are read.
bool CodeComparison::same_constant(const Place& a, const Place& b, std::size_t read) const {
  constexpr std::size_t longest_table = 1U << 16U, longest_text = 64;
  const auto in_a = a_.file.bytes(a.address, longest_table), in_b = b_.file.bytes(b.address, longest_table);
  const auto both = std::min(in_a.size(), in_b.size());
  if (both < reference) return false;
  std::size_t jumps = 0;
  for (std::size_t i = 0; i + reference <= both; i += reference, ++jumps) {
    const auto to_a = a.address - a.function.address +
                      static_cast<std::uint64_t>(static_cast<std::int64_t>(word_at(in_a, i)));
    const auto to_b = b.address - b.function.address +
                      static_cast<std::uint64_t>(static_cast<std::int64_t>(word_at(in_b, i)));
    if (to_a >= a.function.bytes || to_b >= b.function.bytes) break;
    if (to_a != to_b) return false;
  }
  if (jumps > 1) return true;
  for (std::size_t i = 0; i < std::min(both, read == 0 ? longest_text : read); ++i) {
    if (in_a[i] != in_b[i]) return false;
    if (read == 0 && i > 0 && in_a[i] == 0) break;  // the end of a text
  }
  return true;
}

/// Whether the four bytes at `at` of both functions name a place, and the same one.
bool CodeComparison::same_reference(const Function& of_a, const Function& of_b, std::size_t at) const {
  const auto code_a = a_.file.bytes(of_a.address, of_a.bytes),
             code_b = b_.file.bytes(of_b.address, of_b.bytes);
  const auto x = word_at(code_a, at), y = word_at(code_b, at);
  const auto is_same = [&](std::size_t tail, std::size_t read) {
    const auto next = at + reference + tail;
    return same_place({of_a, after(of_a, next, x)}, {of_b, after(of_b, next, y)}, read);
  };
  if (is_call_or_jump(code_a, at)) return is_same(0, reference);
  if (is_operand(code_a, at))
    for (const auto tail : immediates(code_a, at))
      if (is_same(tail, bytes_read(code_a, at))) return true;
  constexpr std::int32_t lowest = 1 << 16;  // addresses of programs begin above
  return a_.is_fixed && b_.is_fixed && x > lowest && y > lowest &&
         same_place({of_a, static_cast<std::uint64_t>(x)}, {of_b, static_cast<std::uint64_t>(y)}, 0);
}

/// Whether the same four bytes at `at` of both name a place that is another one, or holds something else. Where it is
/// not sure that they name a place, false.
bool CodeComparison::other_reference(const Function& of_a, const Function& of_b, std::size_t at) const {
  const auto code = a_.file.bytes(of_a.address, of_a.bytes);
  if (at + reference > code.size()) return false;
  if (!is_call_or_jump(code, at) && !(is_operand(code, at) && is_memory_instruction(code, at))) return false;
  const auto distance = word_at(code, at);
  const auto is_known = [&](const CodeFile& file, const Function& function) {
    const auto address = after(function, at + reference, distance);
    return !file.bytes(address, 1).empty() || file.data_at(address) != nullptr;
  };
  return is_known(a_.file, of_a) && is_known(b_.file, of_b) && !same_reference(of_a, of_b, at);
}

CodeLikeness CodeComparison::compare(const Function& of_a, const Function& of_b) const {
  if (!a_.is_x86_64 || !b_.is_x86_64) return CodeLikeness::unknown;
  if (of_a.bytes != of_b.bytes) return CodeLikeness::other;
  const auto code_a = a_.file.bytes(of_a.address, of_a.bytes),
             code_b = b_.file.bytes(of_b.address, of_b.bytes);
  if (code_a.size() != of_a.bytes || code_b.size() != of_b.bytes) return CodeLikeness::unknown;
  if (code_a.size() < reference)
    return std::ranges::equal(code_a, code_b) ? CodeLikeness::same : CodeLikeness::other;
  std::size_t done = 0;
  for (std::size_t i = 0; i < code_a.size();) {
    if (code_a[i] == code_b[i]) {
      const bool all_four =
          i >= done && i + reference <= code_a.size() && std::memcmp(&code_a[i], &code_b[i], reference) == 0;
      if (all_four && other_reference(of_a, of_b, i)) return CodeLikeness::other;
      ++i;
      continue;
    }
    // The byte is one of the four of a reference.
    const auto last = std::min(i, code_a.size() - reference);
    auto from = std::max(done, i >= reference - 1 ? i - (reference - 1) : 0);
    while (from <= last && !same_reference(of_a, of_b, from)) ++from;
    if (from > last || from + reference <= i) return CodeLikeness::other;
    i = done = from + reference;
  }
  return CodeLikeness::same;
}

std::vector<std::pair<std::string, const Function*>> CodeComparison::Side::pieces_of(
    const std::string& source_name) const {
  std::vector<std::pair<std::string, const Function*>> pieces;
  for (auto at = by_name.lower_bound({source_name, {}});
       at != by_name.end() && at->first.first == source_name; ++at)
    pieces.emplace_back(at->first.second, at->second);
  return pieces;
}

CodeLikeness CodeComparison::compare(const std::string& source_name) const {
  const auto in_a = a_.pieces_of(source_name), in_b = b_.pieces_of(source_name);
  if (in_a.empty() || in_b.empty()) return CodeLikeness::unknown;
  if (in_a.size() != in_b.size()) return CodeLikeness::other;
  for (std::size_t i = 0; i < in_a.size(); ++i) {
    if (in_a[i].first != in_b[i].first) return CodeLikeness::other;
    if (const auto found = compare(*in_a[i].second, *in_b[i].second); found != CodeLikeness::same)
      return found;
  }
  return CodeLikeness::same;
}

std::optional<std::pair<int, int>> CodeComparison::within_line(const std::string& source_name) const {
  const auto in_a = a_.pieces_of(source_name), in_b = b_.pieces_of(source_name);
  if (in_a.size() != 1 || in_b.size() != 1) return {};
  constexpr std::uint64_t line = 64;
  return std::pair(static_cast<int>(in_a.front().second->address % line),
                   static_cast<int>(in_b.front().second->address % line));
}

bool CodeComparison::is_alone(const std::string& source_name) const {
  return a_.pieces_of(source_name).empty() != b_.pieces_of(source_name).empty();
}

std::set<std::string> CodeComparison::callers_of(const std::set<std::string>& source_names) const {
  std::set<std::string> callers;
  for (const auto* side : {&a_, &b_}) {
    std::set<std::uint64_t> targets;
    for (const auto& name : source_names)
      for (const auto& [symbol, function] : side->pieces_of(name)) targets.insert(function->address);
    if (targets.empty() || !side->is_x86_64) continue;
    for (const auto& [name, function] : side->by_name) {
      const auto code = side->file.bytes(function->address, function->bytes);
      for (std::size_t at = 1; at + reference <= code.size(); ++at)
        if (is_call_or_jump(code, at) &&
            targets.contains(after(*function, at + reference, word_at(code, at)))) {
          callers.insert(name.first);
          break;
        }
    }
  }
  for (const auto& name : source_names) callers.erase(name);
  return callers;
}

std::vector<std::string> CodeComparison::differing() const {
  std::vector<std::string> names;
  for (auto x = a_.by_name.begin(); x != a_.by_name.end(); ++x) {
    const auto& name = x->first.first;
    if ((names.empty() || names.back() != name) && compare(name) == CodeLikeness::other)
      names.push_back(name);
  }
  return names;
}

}  // namespace assay::places
