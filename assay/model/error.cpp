#include "assay/model/error.hpp"

#include <cmath>
#include <sstream>

namespace assay::model {
namespace {

std::string sentence(const std::string& problem, const std::string& place, const std::string& remedy) {
  std::string text = place.empty() ? problem : place + ": " + problem;
  if (!remedy.empty()) text += "; " + remedy;
  return text;
}

std::string with_offender(const std::string& problem, std::optional<std::size_t> index, double value) {
  std::ostringstream text;
  text << problem;
  if (index) text << " (value " << value << " at index " << *index << ")";
  if (!index && !std::isnan(value)) text << " (value " << value << ")";
  return text.str();
}

}  // namespace

Error::Error(const std::string& problem, const std::string& place, const std::string& remedy, Code code)
    : std::runtime_error(sentence(problem, place, remedy)),
      problem_(problem),
      place_(place),
      remedy_(remedy),
      code_(code) {}

DomainError::DomainError(const std::string& problem, std::optional<std::size_t> index, double value)
    : Error(with_offender(problem, index, value)), index_(index), value_(value) {}

}  // namespace assay::model
