#include "assay/model/effect.hpp"

#include <cmath>

namespace assay::inline v1::inline model {

Effect Effect::none(Scale scale) { return {scale, scale == Scale::ratio ? 1.0 : 0.0}; }

Effect Effect::of_test_scale(Scale scale, double x) {
  return {scale, scale == Scale::ratio ? std::exp(x) : x};
}

double Effect::on_test_scale() const { return scale == Scale::ratio ? std::log(value) : value; }

double Effect::distance() const { return std::abs(on_test_scale()); }

double Effect::change() const { return scale == Scale::ratio ? value - 1 : value; }

double margin_on_test_scale(Scale scale, double margin) {
  return scale == Scale::ratio ? std::log1p(margin) : margin;
}

bool fits(Scale scale, double value) { return scale == Scale::difference || value > 0; }

double effect_of_pair(Scale scale, double baseline, double candidate) {
  return scale == Scale::ratio ? std::log(candidate / baseline) : candidate - baseline;
}

double value_on_test_scale(Scale scale, double value) {
  return scale == Scale::ratio ? std::log(value) : value;
}

Effect limit_to_the_worse(Scale scale, double allowed, bool lower_is_better) {
  if (scale == Scale::ratio) return {scale, lower_is_better ? 1 + allowed : 1 / (1 + allowed)};
  return {scale, lower_is_better ? allowed : -allowed};
}

}  // namespace assay::inline v1::inline model
