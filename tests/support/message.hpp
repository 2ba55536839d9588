#pragma once

#include <functional>
#include <optional>
#include <string>

#include "assay/model/error.hpp"

namespace assay::test {
using namespace model;

/// What the Error says that `act` throws.
inline std::string message_of(const std::function<void()>& act) {
  try {
    act();
  } catch (const Error& error) {
    return error.what();
  }
  return "nothing was thrown";
}

/// The code of the Error that `act` throws; none where it throws none.
inline std::optional<Error::Code> code_of(const std::function<void()>& act) {
  try {
    act();
  } catch (const Error& error) {
    return error.code();
  }
  return {};
}

}  // namespace assay::test
