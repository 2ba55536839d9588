#include "assay/model/near_miss.hpp"

#include <algorithm>
#include <cctype>
#include <cstddef>
#include <vector>

namespace assay::model {
namespace {

std::string lower(std::string text) {
  std::ranges::transform(text, text.begin(),
                         [](unsigned char c) { return static_cast<char>(std::tolower(c)); });
  return text;
}

std::size_t distance(const std::string& a, const std::string& b) {
  std::vector<std::vector<std::size_t>> d(a.size() + 1, std::vector<std::size_t>(b.size() + 1));
  for (std::size_t i = 0; i <= a.size(); ++i)
    for (std::size_t j = 0; j <= b.size(); ++j) {
      if (i == 0 || j == 0) {
        d[i][j] = i + j;
        continue;
      }
      d[i][j] =
          std::min({d[i - 1][j] + 1, d[i][j - 1] + 1, d[i - 1][j - 1] + (a[i - 1] != b[j - 1] ? 1U : 0U)});
      if (i > 1 && j > 1 && a[i - 1] == b[j - 2] && a[i - 2] == b[j - 1])
        d[i][j] = std::min(d[i][j], d[i - 2][j - 2] + 1);
    }
  return d[a.size()][b.size()];
}

}  // namespace

std::string closest_match(const std::string& word, std::span<const std::string> known) {
  if (word.size() > 64) return {};
  std::size_t nearest = std::clamp<std::size_t>(word.size() / 3, 1, 3) + 1;
  std::string best;
  for (const auto& name : known)
    if (const auto off = distance(lower(word), lower(name)); off < nearest) {
      nearest = off;
      best = name;
    }
  return best;
}

std::string did_you_mean(const std::string& word, std::span<const std::string> known) {
  if (const auto meant = closest_match(word, known); !meant.empty()) return "did you mean \"" + meant + "\"?";
  std::string list;
  for (const auto& name : known) list += (list.empty() ? "" : ", ") + name;
  return list.empty() ? "there is none" : "known here: " + list;
}

}  // namespace assay::model
