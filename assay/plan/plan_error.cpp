#include "assay/plan/plan_error.hpp"

#include "assay/model/error.hpp"

namespace assay::plan {

void PlanErrors::fail(const std::string& path, const std::string& problem, const std::string& remedy) const {
  auto known = places_.find(path);
  for (auto outer = path; known == places_.end() && outer.find('.') != std::string::npos;) {
    outer.erase(outer.rfind('.'));
    known = places_.find(outer);
  }
  throw Error(problem, known == places_.end() ? path : known->second, remedy);
}

}  // namespace assay::plan
