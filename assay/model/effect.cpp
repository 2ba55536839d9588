#include "assay/model/effect.hpp"

#include <cmath>

namespace assay::model {

Effect Effect::none(Scale scale) { return {scale, scale == Scale::ratio ? 1.0 : 0.0}; }

Effect Effect::from_transformed(Scale scale, double x) {
  return {scale, scale == Scale::ratio ? std::exp(x) : x};
}

double Effect::transformed() const { return scale == Scale::ratio ? std::log(value) : value; }

double Effect::distance() const { return std::abs(transformed()); }

double Effect::change() const { return scale == Scale::ratio ? value - 1 : value; }

double transformed_margin(Scale scale, double margin) {
  return scale == Scale::ratio ? std::log1p(margin) : margin;
}

bool is_valid_value(Scale scale, double value) { return scale == Scale::difference || value > 0; }

double transformed_effect(Scale scale, double baseline, double candidate) {
  return scale == Scale::ratio ? std::log(candidate / baseline) : candidate - baseline;
}

double transformed_value(Scale scale, double value) {
  return scale == Scale::ratio ? std::log(value) : value;
}

Effect regression_limit(Scale scale, double allowed, bool lower_is_better) {
  if (scale == Scale::ratio) return {scale, lower_is_better ? 1 + allowed : 1 / (1 + allowed)};
  return {scale, lower_is_better ? allowed : -allowed};
}

}  // namespace assay::model
