#pragma once

#include <cstddef>
#include <limits>
#include <optional>
#include <stdexcept>
#include <string>

namespace assay::inline model {

/// What the caller must put right: says what is wrong, where, and what to do about it.
///
/// A trial that fails is data, never an Error.
class Error : public std::runtime_error {
 public:
  /// Who is asked to act: the person who wrote the request (a plan, an option, a file), or the machine, on
  /// which nothing could be measured.
  enum class Kind { request, measuring };

  /// `problem`: one clause without a full stop. `place`: a file with line and column, an option, a candidate;
  /// may be empty. `remedy`: what to do; may be empty.
  explicit Error(const std::string& problem, const std::string& place = {}, const std::string& remedy = {},
                 Kind kind = Kind::request);

  const std::string& problem() const { return problem_; }
  const std::string& place() const { return place_; }
  const std::string& remedy() const { return remedy_; }
  Kind kind() const { return kind_; }

 private:
  std::string problem_, place_, remedy_;
  Kind kind_;
};

/// A number that a statistic is not defined for.
class DomainError : public Error {
 public:
  explicit DomainError(const std::string& problem, std::optional<std::size_t> index = {},
                       double value = std::numeric_limits<double>::quiet_NaN());

  /// Position of the offending value in its sequence, from 0; empty when the whole is at fault.
  std::optional<std::size_t> index() const { return index_; }
  /// The offending value; NaN when there is none.
  double value() const { return value_; }

 private:
  std::optional<std::size_t> index_;
  double value_;
};

}  // namespace assay::inline model
