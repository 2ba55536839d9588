#include "assay/campaign/per_trial.hpp"

#include <algorithm>
#include <string>
#include <vector>

#include "assay/measure/port.hpp"
#include "assay/plan/placeholders.hpp"

namespace assay::campaign {

std::optional<int> bind_port(measure::Command& command, Control& control, std::optional<int> given) {
  std::vector<std::vector<std::string>*> lists = {&command.arguments, &control.before.run,
                                                  &control.after.run};
  if (command.environment) lists.push_back(&*command.environment);
  if (control.environment) lists.push_back(&*control.environment);
  const auto waits = [](const std::string& text) { return plan::is_unbound(text, "port"); };
  if (std::ranges::none_of(lists, [&](const auto* list) { return std::ranges::any_of(*list, waits); }))
    return {};
  const int port = given ? *given : measure::free_port();
  for (auto* list : lists)
    for (auto& text : *list) text = plan::bind_placeholders(std::move(text), "port", std::to_string(port));
  return port;
}

}  // namespace assay::campaign
