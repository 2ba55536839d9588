#include "assay/render/profile.hpp"

#include <algorithm>

#include "assay/report/cells.hpp"
#include "assay/report/profile.hpp"

namespace assay::render {

using namespace report;  // its words
namespace {

constexpr std::size_t of_value = 10, of_change = 11;

std::string name_to_fit(const std::string& name, std::size_t width) {
  return display_width(name) <= width ? name : pad_right(name, width);
}

/// The candidates from `from` up to `to`.
std::string table(const Profile& profile, std::size_t names, std::size_t from, std::size_t to) {
  auto out = pad_right("", names) + pad_left(name_to_fit(profile.baseline, of_value), of_value + 1);
  for (auto i = from; i < to; ++i)
    out += pad_left(name_to_fit(profile.candidates[i], of_value + of_change), of_value + of_change + 3);
  out += "\n";
  for (const auto& line : profile.lines) {
    out += pad_right("  " + line.metric, names) + pad_left(line.baseline, of_value + 1);
    for (auto i = from; i < to; ++i) {
      const auto& entry = line.entries[i];
      out += pad_left(entry.typical, of_value + 1) + pad_left(entry.change, of_change) + " " +
             (entry.sign.empty() ? " " : entry.sign);
    }
    out.erase(out.find_last_not_of(' ') + 1);
    out += "\n";
  }
  return out;
}

}  // namespace

std::string profile_text(const Findings& findings) {
  std::string out;
  for (const auto& profile : make_profiles(findings)) {
    std::size_t names = 10;
    for (const auto& line : profile.lines) names = std::max(names, display_width(line.metric) + 3);
    names = std::min<std::size_t>(names, 32);
    const std::size_t taken = names + of_value + 1, each = of_value + of_change + 3;
    const std::size_t fit = std::max<std::size_t>(1, (text_width - taken) / each);
    out += "\nprofile" + (profile.where.empty() ? "" : ", " + profile.where) + ": change against " +
           profile.baseline + "; +, ! and = where a verdict was reached\n";
    for (std::size_t from = 0; from < profile.candidates.size(); from += fit)
      out += table(profile, names, from, std::min(from + fit, profile.candidates.size()));
  }
  return out;
}

}  // namespace assay::render
