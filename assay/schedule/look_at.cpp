#include "assay/schedule/look_at.hpp"

namespace assay::schedule {

LookAt::LookAt(const LookSchedule& planned, int rounds, double alpha, bool ends)
    : boundary_(planned.boundary(alpha)), place_(planned.look_at(rounds)) {
  const auto last = planned.last_look_by(rounds);
  before_ = place_ ? *place_ : last ? *last + 1 : 0;
  if (ends && !is_last()) place_.reset();
  if (!place_) closing_.emplace(*boundary_, before_, rounds);
}

double LookAt::p_value(std::uint64_t t) const {
  return place_ ? boundary_->p_value(*place_, t) : closing_->p_value(t);
}

double LookAt::p_value_of_level(double level) const {
  return place_ ? boundary_->p_value_of_level(*place_, level) : closing_->p_value_of_level(level);
}

std::uint64_t LookAt::critical_count(double alpha) const {
  return place_ ? boundary_->critical_count(*place_, alpha) : closing_->critical_count(alpha);
}

double LookAt::share() const {
  if (place_) return boundary_->share_of(*place_);
  double left = 1;
  for (std::size_t k = 0; k < before_; ++k) left -= boundary_->share_of(k);
  return left;
}

bool LookAt::is_last() const { return !place_ || *place_ + 1 == boundary_->looks().size(); }

}  // namespace assay::schedule
