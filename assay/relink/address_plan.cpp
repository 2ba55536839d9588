#include "assay/relink/address_plan.hpp"

#include <algorithm>
#include <bit>
#include <set>
#include <span>
#include <sstream>
#include <utility>

#include "assay/stats/random.hpp"

namespace assay::relink {

namespace {

constexpr std::uint64_t step = 16;    // bytes
constexpr std::uint64_t page = 4096;  // bytes
constexpr std::uint64_t probe = 256;  // bytes between pieces whose alignment is looked for
constexpr int sorted_kind = 4;

std::uint64_t rounded_up(std::uint64_t value, std::uint64_t to) { return (value + to - 1) / to * to; }

}  // namespace

AddressPlan shared_addresses(const std::vector<std::vector<CodePiece>>& programs, std::uint64_t seed) {
  struct Size {
    std::uint64_t bytes = 0, alignment = step;
  };
  std::map<CodeKey, Size> sizes;
  for (const auto& pieces : programs)
    for (const auto& piece : pieces) {
      auto& size = sizes[piece.key];
      size.bytes = std::max(size.bytes, piece.size);
      size.alignment = std::max(size.alignment, piece.alignment);
    }
  stats::Random random(seed);
  std::vector<std::pair<CodeKey, Size>> order(sizes.begin(), sizes.end());
  for (auto first = order.begin(); first != order.end();) {
    const auto last = std::find_if(first, order.end(),
                                   [&](const auto& entry) { return entry.first.kind != first->first.kind; });
    if (first->first.kind != sorted_kind) random.shuffle(std::span(first, last));
    first = last;
  }
  AddressPlan slots;
  std::uint64_t at = step * random.below(page / step);
  for (const auto& [key, size] : order) {
    constexpr std::size_t gaps = 8;
    at = rounded_up(at + step * random.below(gaps), size.alignment);
    slots[key] = at;
    at += size.bytes;
  }
  return slots;
}

AddressPlan probe_addresses(const std::vector<CodePiece>& pieces) {
  AddressPlan slots;
  std::uint64_t at = 0;
  for (const auto& piece : pieces) {
    slots[piece.key] = at + step;
    // Its own alignment may move it on by as much again.
    at = rounded_up(at + step + piece.size + page, probe);
  }
  return slots;
}

std::uint64_t alignment_at(std::uint64_t offset) {
  const auto within = offset % probe;
  if (within == 0) return page;
  return std::uint64_t{1} << static_cast<unsigned>(std::countr_zero(within));
}

std::string script_with(const std::string& standard, const std::vector<CodePiece>& pieces,
                        const AddressPlan& slots) {
  const std::string head = "\n  .text ";
  const auto at = standard.find(head);
  if (at == std::string::npos) return {};
  const auto open = standard.find_first_not_of(' ', at + head.size());
  const std::string body_begins = ":\n  {\n";
  if (open == std::string::npos || standard.compare(open, body_begins.size(), body_begins) != 0) return {};
  std::vector<std::pair<std::uint64_t, const CodePiece*>> order;
  for (const auto& piece : pieces) order.emplace_back(slots.at(piece.key), &piece);
  std::ranges::sort(order);
  auto text = standard.substr(0, at) + "\n  .text : ALIGN(" + std::to_string(page) + ")\n  {\n";
  for (const auto& [slot, piece] : order)
    text += "    . = " + std::to_string(slot) + ";\n    " + piece->pattern + "(" + piece->section + ")\n";
  return text + standard.substr(open + body_begins.size());
}

CodeGaps draw_gaps(std::size_t first, std::size_t count, std::uint64_t seed) {
  CodeGaps gaps;
  for (std::size_t i = first; i < first + count; ++i) {
    stats::Random random(seed, i + 1);
    const auto symbol = "assay_gap_" + std::to_string(i);
    gaps.source += "\t.section .text." + symbol + ",\"ax\",%progbits\n\t.balign 16\n\t.globl " + symbol +
                   "\n\t.hidden " + symbol + "\n" + symbol + ":\n\t.skip " +
                   std::to_string(16 * random.below(256)) + "\n";
    gaps.symbols.push_back(symbol);
  }
  gaps.source += "\t.section .note.GNU-stack,\"\",%progbits\n";
  return gaps;
}

std::vector<std::string> gold_section_names(const std::string& map) {
  std::vector<std::string> names;
  std::set<std::string> known;
  std::istringstream lines(map);
  for (std::string line; std::getline(lines, line);) {
    if (!line.starts_with(" .text.")) continue;
    const auto name = line.substr(1, line.find(' ', 1) - 1);
    if (name.starts_with(".text.unlikely") || name.starts_with(".text.exit")) continue;
    if (known.insert(name).second) names.push_back(name);
  }
  return names;
}

std::string shuffled_lines(std::vector<std::string> names, std::uint64_t seed) {
  stats::Random random(seed);
  random.shuffle(std::span(names));
  std::string text;
  for (const auto& name : names) text += name + "\n";
  return text;
}

}  // namespace assay::relink
