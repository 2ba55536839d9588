#pragma once

#include <optional>
#include <string>

#include "assay/model/plan.hpp"

namespace assay::check {

/// What is asked of one reply of a service.
struct ReplyCheck {
  int status = 0;     ///< 0: one of the workload's statuses
  std::string match;  ///< RE2, multi-line, that must occur in its body besides the workload's; empty: none
};

/// A body without what is not compared: matches of `check.ignore` are cut out, values that
/// `check.ignore_json` leads to are null. A body that is no JSON, or has nothing there, stays as it is. Cost:
/// linear; a parse with ignore_json.
std::string masked(const OutputCheck& check, const std::string& body);

/// Why a reply is not right, in words; empty when it is. `expected` is the baseline's body, masked; none:
/// equality is not asked for, or it is the baseline's own.
std::optional<std::string> check_reply(const OutputCheck& check, const ReplyCheck& asked, int status,
                                       const std::string& body, const std::optional<std::string>& expected);

/// The same of its body alone.
std::optional<std::string> check_body(const OutputCheck& check, const ReplyCheck& asked,
                                      const std::string& body, const std::optional<std::string>& expected);

/// Whether the status is one that the reply may have.
bool is_right_status(const OutputCheck& check, const ReplyCheck& asked, int status);

}  // namespace assay::check
