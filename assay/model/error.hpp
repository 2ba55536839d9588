#pragma once

#include <cstddef>
#include <limits>
#include <optional>
#include <stdexcept>
#include <string>

#include "assay/model/visible.hpp"

namespace assay::model {

/// What the caller must put right: says what is wrong, where, and what to do about it. Programs branch on the
/// code, never on the text.
///
/// A trial that fails is data, never an Error.
class Error : public std::runtime_error {
 public:
  enum class Code {
    request,           ///< the person who wrote the request (a plan, an option, a file) must change it
    measuring,         ///< nothing could be measured on this machine
    launcher_lost,     ///< a launcher process ended, or did not answer, while its program ran
    in_use,            ///< the campaign is being measured elsewhere
    changed,           ///< a campaign can't go on: its plan, programs or machine are others now
    ledger_missing,    ///< there is no such ledger, or nothing of that name in it
    ledger_busy,       ///< another process keeps it locked
    ledger_full,       ///< there is no room to store anything
    ledger_read_only,  ///< it can't be written here
    ledger_damaged,    ///< what it holds means nothing
    ledger_newer,      ///< a newer Assay wrote it
    ledger_older,      ///< a development version from before the first schema wrote it
    ledger_gone,       ///< it was moved or deleted while it was in use
    ledger_away,       ///< its server can't be reached
    ledger_refused,    ///< its server does not let this user in, or is not the one that is meant
    ledger_unusable,   ///< any other failure of the database
  };

  /// A choice of the caller's that is at fault: a member of an option struct.
  enum class Field { none, only, resume, since, every, metric, baseline };

  /// `problem`: one clause without a full stop. `place`: a file with line and column, an option, a candidate;
  /// may be empty. `remedy`: what to do; may be empty.
  explicit Error(const std::string& problem, const std::string& place = {}, const std::string& remedy = {},
                 Code code = Code::request);
  /// The same about a field, whose name is the place.
  Error(const std::string& problem, Field field, const std::string& remedy = {}, Code code = Code::request);

  const std::string& problem() const { return problem_; }
  const std::string& place() const { return place_; }
  const std::string& remedy() const { return remedy_; }
  Code code() const { return code_; }
  Field field() const { return field_; }

 private:
  std::string problem_, place_, remedy_;
  Code code_;
  Field field_ = Field::none;
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

/// Thrown by work that was asked to stop before it was done. The only way in which a stop request is
/// reported; what runs trials returns them as interrupted instead.
class Cancelled : public std::exception {
 public:
  const char* what() const noexcept override { return "cancelled"; }
};

}  // namespace assay::model
