#include "assay/cli/repeat.hpp"

#include <cstdlib>
#include <iostream>
#include <set>

#include "assay/app/options.hpp"
#include "assay/app/trust.hpp"
#include "assay/cli/find_campaign.hpp"
#include "assay/compare.hpp"
#include "assay/error.hpp"

namespace assay::cli {

void warn_of_unset_variables(const Plan& plan) {
  std::set<std::string> unset;
  for (const auto& workload : plan.workloads)
    for (const auto& variable : workload.control.environment.value_or(std::vector<std::string>{}))
      if (variable.find('=') == std::string::npos && std::getenv(variable.c_str()) == nullptr)
        unset.insert(variable);
  for (const auto& name : unset)
    std::cerr
        << "assay: warning, " << name
        << " is passed on to the trials and is not set here; set it to what it was (values are not kept)\n";
}

void refuse_foreign(const Plan& plan) {
  constexpr std::size_t most = 5;
  std::size_t count = 0;
  std::cerr << "assay: what would be run:\n";
  for (const auto& cell : plan::expand_cells(plan))
    if (cell.state.is_ok() && count++ < most)
      std::cerr << "  " << app::shell_quoted(plan::display_command(cell.command, plan.folder)) << "\n";
  if (count > most) std::cerr << "  …\n";
  throw Error("you did not measure this campaign here, and its ledger says what is run", "campaign",
              "look at the commands above; --trust runs them");
}

void require_repeatable(const Design& design) {
  if (design.kind == CampaignKind::contest || design.plan.empty() || design.folder.empty())
    throw Error("this campaign can't be measured again from here", short_uid(design.uid),
                "its own program, or assay run, measures it");
}

Plan plan_in(const std::string& folder, const Design& design) {
  auto plan = plan::read(design.plan, "the campaign's plan", folder);
  for (std::size_t i = 0; i < plan.candidates.size(); ++i)
    if (const CandidateId id{static_cast<std::int64_t>(i)};
        design.candidates.contains(id) && !plan.candidates[i].commit.empty())
      plan.candidates[i].commit = design.candidates[id].from.commit;
  return plan;
}

Plan plan_to_repeat(const Design& design, bool trust) {
  auto plan = plan_in(design.folder, design);
  if (!trust && !app::is_remembered(measured_campaigns(), design.uid)) refuse_foreign(plan);
  warn_of_unset_variables(plan);
  return plan;
}

}  // namespace assay::cli
