#include "assay/render/folded.hpp"

#include <algorithm>

#include "assay/render/table.hpp"
#include "assay/report/cells.hpp"

namespace assay::render {

using namespace report;  // its words
namespace {

constexpr std::size_t column_width = 13;

}  // namespace

bool is_wide(const Overview& overview) {
  constexpr std::size_t many = 24;
  return overview.rows.size() * overview.columns.size() > many;
}

std::string matrix_text(const Overview& overview, const std::string& heading, const TextStyle& style) {
  std::size_t names = 10;
  for (const auto& name : overview.names) names = std::max(names, display_width(name) + 1);
  names = std::min<std::size_t>(names, 30);
  std::string out = heading + "; change against the baseline; --only shows more\n";
  const std::size_t fit = std::max<std::size_t>(1, (text_width - names) / (column_width + 1));
  for (std::size_t from = 0; from < overview.columns.size(); from += fit) {
    const auto to = std::min(from + fit, overview.columns.size());
    if (from > 0) out += "\n";
    out += pad_right("", names);
    for (auto c = from; c < to; ++c) {
      const auto& title = overview.columns[c];
      out += " " + pad_left(display_width(title) > column_width ? pad_right(title, column_width) : title,
                            column_width);
    }
    out += "\n";
    for (std::size_t r = 0; r < overview.rows.size(); ++r) {
      const auto& name = overview.names[r];
      out += pad_right(display_width(name) < names ? name : pad_right(name, names - 1), names);
      for (auto c = from; c < to; ++c) {
        const auto& entry = overview.rows[r][c];
        const auto text = pad_left(entry.text, column_width);
        out += " " +
               (style.colour && entry.finding != nullptr ? in_colour_of(entry.finding->verdict, text) : text);
      }
      out += "\n";
    }
  }
  return out;
}

}  // namespace assay::render
