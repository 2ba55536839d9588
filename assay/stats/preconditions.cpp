#include "assay/stats/preconditions.hpp"

#include <cmath>
#include <string>

#include "assay/model/error.hpp"

namespace assay::stats {

void require_finite(std::span<const double> values, std::size_t least) {
  if (values.size() < least)
    throw DomainError("at least " + std::to_string(least) + " values are needed, there are " +
                      std::to_string(values.size()));
  for (std::size_t i = 0; i < values.size(); ++i)
    if (!std::isfinite(values[i])) throw DomainError("a value is not a finite number", i, values[i]);
}

void require_positive(std::span<const double> values, std::size_t least) {
  require_finite(values, least);
  for (std::size_t i = 0; i < values.size(); ++i)
    if (values[i] <= 0) throw DomainError("a value on a ratio scale must be above zero", i, values[i]);
}

void require_same_length(std::span<const double> a, std::span<const double> b) {
  if (a.size() != b.size())
    throw DomainError("paired values of different number: " + std::to_string(a.size()) + " and " +
                      std::to_string(b.size()));
}

void require_level(double level) {
  if (!(level > 0 && level < 1)) throw DomainError("a level must lie between 0 and 1", {}, level);
}

}  // namespace assay::stats
