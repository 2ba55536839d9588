#include "assay/check/replies.hpp"

#include <re2/re2.h>

#include <algorithm>
#include <nlohmann/json.hpp>

#include "assay/check/output.hpp"
#include "assay/codec/json.hpp"

namespace assay::check {
namespace {

bool occurs(const std::string& pattern, const std::string& text) {
  return RE2::PartialMatch(text, RE2("(?m)" + pattern, RE2::Quiet));
}

std::string listed(const std::vector<int>& statuses) {
  std::string text;
  for (const int status : statuses) text += (text.empty() ? "" : " or ") + std::to_string(status);
  return text;
}

}  // namespace

std::string masked(const OutputCheck& check, const std::string& body) {
  auto text = body;
  if (!check.ignore_json.empty()) {
    if (auto document = codec::parse_json(body)) {
      for (const auto& pointer : check.ignore_json) try {
          const nlohmann::json::json_pointer at(pointer);
          if (document->contains(at)) (*document)[at] = nullptr;
        } catch (const nlohmann::json::exception&) {  // a name where the document has a list
        }
      text = document->dump(-1, ' ', false, nlohmann::json::error_handler_t::replace);
    }
  }
  for (const auto& pattern : check.ignore) RE2::GlobalReplace(&text, RE2("(?m)" + pattern, RE2::Quiet), "");
  return text;
}

bool is_right_status(const OutputCheck& check, const ReplyCheck& asked, int status) {
  return asked.status != 0 ? status == asked.status : std::ranges::count(check.status_ok, status) > 0;
}

std::optional<std::string> check_reply(const OutputCheck& check, const ReplyCheck& asked, int status,
                                       const std::string& body, const std::optional<std::string>& expected) {
  if (!is_right_status(check, asked, status))
    return "status " + std::to_string(status) + ", expected " +
           (asked.status != 0 ? std::to_string(asked.status) : listed(check.status_ok)) + "; its body, " +
           output_summary(body);
  return check_body(check, asked, body, expected);
}

std::optional<std::string> check_body(const OutputCheck& check, const ReplyCheck& asked,
                                      const std::string& body, const std::optional<std::string>& expected) {
  for (const auto* pattern : {&check.match, &asked.match})
    if (!pattern->empty() && !occurs(*pattern, body))
      return "\"" + *pattern + "\" does not occur in its body, " + output_summary(body);
  if (!expected) return {};
  const auto mine = masked(check, body);
  if (mine == *expected) return {};
  return "its body is not the baseline's: " +
         first_difference({mine, true, {}, mine.size()}, {*expected, true, {}, expected->size()});
}

}  // namespace assay::check
