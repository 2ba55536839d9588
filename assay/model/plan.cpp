#include "assay/model/plan.hpp"

#include "assay/model/error.hpp"

namespace assay::model {

Work parse_work(const std::string& text) {
  const auto blank = text.find(' ');
  if (blank == 0 || blank == std::string::npos || blank + 1 == text.size())
    throw Error("\"" + text + "\" is not an amount of work", {}, "write it like \"500 routes\"");
  return {.amount = text.substr(0, blank), .unit = text.substr(blank + 1)};
}

std::string to_string(const Work& work) { return work.amount.empty() ? "" : work.amount + " " + work.unit; }

}  // namespace assay::model
