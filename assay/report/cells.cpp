#include "assay/report/cells.hpp"

#include <algorithm>
#include <sstream>
#include <vector>

namespace assay::report {

std::size_t display_width(const std::string& text) {
  return static_cast<std::size_t>(
      std::ranges::count_if(text, [](char c) { return (static_cast<unsigned char>(c) & 0xC0U) != 0x80; }));
}

namespace {

/// The words of a line; a number and its per cent sign are one.
std::vector<std::string> words_of(const std::string& line) {
  std::vector<std::string> words;
  std::istringstream in(line);
  for (std::string word; in >> word;)
    if (word.starts_with('%') && !words.empty())
      words.back() += " " + word;
    else
      words.push_back(word);
  return words;
}

}  // namespace

std::string wrap(const std::string& text, std::size_t indent) {
  std::string out;
  std::istringstream lines(text);
  bool first = true;
  for (std::string line; std::getline(lines, line); first = false) {
    if (!first) out += "\n" + std::string(indent, ' ');
    std::size_t used = indent;
    bool line_start = true;
    for (const auto& word : words_of(line)) {
      if (!line_start && used + 1 + display_width(word) > text_width) {
        out += "\n" + std::string(indent, ' ');
        used = indent;
        line_start = true;
      }
      out += (line_start ? "" : " ") + word;
      used += display_width(word) + (line_start ? 0 : 1);
      line_start = false;
    }
  }
  return out;
}

namespace {

std::string cut(const std::string& text, std::size_t width) {
  if (display_width(text) <= width) return text;
  std::string shorter;
  std::size_t cells = 0;
  for (const char c : text) {
    if ((static_cast<unsigned char>(c) & 0xC0U) != 0x80 && ++cells == width) break;
    shorter += c;
  }
  return shorter + "…";
}

std::string filling(const std::string& text, std::size_t width) {
  const auto used = display_width(text);
  return std::string(used < width ? width - used : 0, ' ');
}

}  // namespace

std::string pad_right(const std::string& text, std::size_t width) {
  const auto fits = cut(text, width);
  return fits + filling(fits, width);
}

std::string pad_left(const std::string& text, std::size_t width) {
  const auto fits = cut(text, width);
  return filling(fits, width) + fits;
}

}  // namespace assay::report
