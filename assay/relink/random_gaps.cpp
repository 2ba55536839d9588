#include "assay/relink/random_gaps.hpp"

#include <set>
#include <span>
#include <sstream>

#include "assay/stats/random.hpp"

namespace assay::relink {

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
