#include "assay/program/search_progress.hpp"

#include <algorithm>
#include <cmath>
#include <string>

#include "assay/report/located.hpp"

namespace assay::program {

void SearchProgress::searching(const history::Searching& searching) {
  constexpr std::size_t width = 40;
  const auto likeliest = std::ranges::max_element(searching.probability);
  const auto place = static_cast<std::size_t>(likeliest - searching.probability.begin());
  line_.show(report::sparkline(searching.probability, width) + " " + std::to_string(searching.pairs) +
             " pairs; " + searching.commits[place].short_id() + " " +
             std::to_string(std::lround(100 * *likeliest)) + " %; now " + searching.now.short_id());
}

}  // namespace assay::program
