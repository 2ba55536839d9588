#include "assay/cli/find_campaign.hpp"

#include <algorithm>
#include <cstdlib>
#include <filesystem>
#include <iostream>
#include <set>

#include "assay/app/trust.hpp"
#include "assay/error.hpp"
#include "assay/judge.hpp"
#include "assay/where.hpp"

namespace assay::cli {
namespace fs = std::filesystem;

std::string state_ledger() {
  const char* state = std::getenv("XDG_STATE_HOME");
  if (state != nullptr && fs::path(state).is_absolute())
    return (fs::path(state) / "assay" / "ledger.db").string();
  const char* home = std::getenv("HOME");
  if (home == nullptr || *home == '\0')
    throw Error("neither XDG_STATE_HOME nor HOME is set, so there is no place for the ledger", {},
                "name one with --ledger FILE");
  return (fs::path(home) / ".local" / "state" / "assay" / "ledger.db").string();
}

std::string measured_campaigns() { return (fs::path(state_ledger()).parent_path() / "measured").string(); }

std::string plan_ledger(const std::string& plan_file) {
  const auto folder = fs::path(plan_file).parent_path() / ".assay";
  app::require_own_folder(folder.string());
  return (folder / "ledger.db").string();
}

std::string ledger_asked(const std::string& option, const std::function<std::string()>& fallback) {
  if (!option.empty()) return option;
  const char* of_environment = std::getenv("ASSAY_LEDGER");
  if (of_environment != nullptr && *of_environment != '\0') return of_environment;
  return fallback();
}

std::vector<std::string> searched_ledgers(const std::string& named_ledger) {
  if (auto named = ledger_asked(named_ledger, [] { return std::string(); }); !named.empty())
    return {std::move(named)};
  std::vector<std::string> paths;
  for (const auto& path : {plan_ledger("./assay.toml"), state_ledger()})
    if (ledger::Place::of(path).is_there()) paths.push_back(path);
  return paths;
}

namespace {

/// What a text may mean in a ledger. In a database "last" is the newest of this user's own.
std::vector<ledger::CampaignSummary> matching(ledger::Ledger& ledger, const std::string& text) {
  auto found = ledger.matching(text);
  if (text != "last" || !ledger.place().is_database()) return found;
  constexpr std::size_t looked_at = 1000;
  for (auto& campaign : ledger.list({.newest = looked_at}))
    if (campaign.kind != CampaignKind::where && app::is_remembered(measured_campaigns(), campaign.uid))
      return {std::move(campaign)};
  return found;
}

}  // namespace

Findings findings_with_where(FoundCampaign& found, const Record& record) {
  auto findings = judge::judge_record(record);
  std::set<Comparison> known;
  for (const auto id : found.ledger.sampled_for(found.campaign.id)) {
    auto sampled = judge::judge_record(found.ledger.read(id));
    if (sampled.where.empty()) continue;
    const auto before = findings.where.size();
    const auto remarks = findings.where_remarks.size();
    adopt_where(findings, sampled);
    for (auto at = findings.where.begin() + static_cast<std::ptrdiff_t>(before); at != findings.where.end();)
      at = known.insert(at->comparison).second ? at + 1 : findings.where.erase(at);
    if (findings.where.size() == before) findings.where_remarks.resize(remarks);  // of nothing that is shown
  }
  return findings;
}

FoundCampaign find_campaign(const std::string& text, const std::string& named_ledger) {
  // Within a ledger its own order holds, whatever the clock showed; of several, the one whose newest campaign
  // began last comes first.
  std::vector<std::pair<std::string, std::vector<ledger::CampaignSummary>>> lists;  // path, campaigns
  const auto paths = searched_ledgers(named_ledger);
  bool any = false;
  for (const auto& path : paths) try {
      ledger::Ledger ledger(path, ledger::Ledger::OpenMode::existing);
      lists.emplace_back(path, matching(ledger, text));
      any = any || !lists.back().second.empty() || !ledger.list({.newest = 1}).empty();
    } catch (const Error& error) {  // one that can't be read does not hide the campaigns of the other
      if (paths.size() == 1) throw;
      std::cerr << "assay: note: " << error.what() << "\n";
    }
  std::ranges::stable_sort(lists, std::ranges::greater{}, [](const auto& list) {
    return list.second.empty() ? 0 : list.second.front().started;
  });
  std::vector<ledger::CampaignSummary> all;
  std::vector<std::pair<std::string, std::string>> where;  // uid, path
  for (const auto& [path, campaigns] : lists)
    for (const auto& campaign : campaigns) {
      where.emplace_back(campaign.uid, path);
      all.push_back(campaign);
    }
  if (all.empty() && any) ledger::refuse_campaign(text, 0);
  const auto& chosen = ledger::find_campaign(all, text);
  const auto path = std::ranges::find(where, chosen.uid, &std::pair<std::string, std::string>::first)->second;
  return {ledger::Ledger(path, ledger::Ledger::OpenMode::existing), chosen};
}

}  // namespace assay::cli
