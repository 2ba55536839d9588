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

const char* name_of(Error::Field field) {
  switch (field) {
    case Error::Field::none:
      return "";
    case Error::Field::only:
      return "only";
    case Error::Field::resume:
      return "resume";
    case Error::Field::since:
      return "since";
    case Error::Field::every:
      return "every";
    case Error::Field::metric:
      return "metric";
    case Error::Field::baseline:
      return "baseline";
  }
  return "";
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

Error::Error(const std::string& problem, Field field, const std::string& remedy, Code code)
    : Error(problem, name_of(field), remedy, code) {
  field_ = field;
}

DomainError::DomainError(const std::string& problem, std::optional<std::size_t> index, double value)
    : Error(with_offender(problem, index, value)), index_(index), value_(value) {}

}  // namespace assay::model
