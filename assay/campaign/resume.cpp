#include "assay/campaign/resume.hpp"

#include <algorithm>
#include <filesystem>
#include <sstream>
#include <utility>
#include <vector>

#include "assay/model/error.hpp"

namespace assay::campaign {
namespace {

std::vector<std::string> lines_of(const std::string& text) {
  std::vector<std::string> lines;
  std::istringstream in(text);
  for (std::string line; std::getline(in, line);) lines.push_back(line);
  return lines;
}

/// The first line in which the plans differ, with the section it is in.
std::string first_change(const std::string& was, const std::string& now) {
  const auto before = lines_of(was), after = lines_of(now);
  const auto [a, b] = std::ranges::mismatch(before, after);
  std::string section;
  for (auto at = after.begin(); at != b; ++at)
    if (at->starts_with("[")) section = *at + ": ";
  const auto shown = [](auto at, auto end) { return at == end ? std::string("nothing") : "\"" + *at + "\""; };
  return section + shown(b, after.end()) + ", was " + shown(a, before.end());
}

std::string fact_of(const Record& record, const std::string& name) {
  for (const auto& fact : record.sittings.back().facts)
    if (fact.name == name) return fact.value;
  return {};
}

constexpr const char* afresh = "assay run without --resume begins afresh";

void refuse_changes(const Record& was, const Record& now) {
  for (std::size_t i = 0; i < now.candidates.size() && i < was.candidates.size(); ++i) {
    const auto &before = was.candidates[i].from, &after = now.candidates[i].from;
    const auto& name = now.candidates[i].name;
    if (before.commit != after.commit)
      throw Error(
          name + " is another commit: " + after.commit.substr(0, 10) + ", was " + before.commit.substr(0, 10),
          "--resume", afresh);
    if (before.exe_digest != after.exe_digest)
      throw Error(name + "'s program has changed: its bytes are not those that were measured", "--resume",
                  afresh);
    if (before.identity != after.identity)
      throw Error(name + " calls itself \"" + after.identity + "\", and did \"" + before.identity + "\"",
                  "--resume", afresh);
  }
  if (fact_of(was, "fingerprint") == fact_of(now, "fingerprint")) return;
  std::string what;
  for (const char* name : {"processor", "cores", "memory MiB", "architecture"})
    if (fact_of(was, name) != fact_of(now, name))
      what += (what.empty() ? "" : "; ") + std::string(name) + " " + fact_of(now, name) + ", was " +
              fact_of(was, name);
  throw Error("this is another machine: " + what, "--resume", afresh);
}

}  // namespace

std::optional<Unfinished> find_unfinished(const std::string& path, const Record& laid) {
  if (std::error_code failed; path.empty() || !std::filesystem::exists(path, failed)) return {};
  ledger::Ledger ledger(path, ledger::Ledger::Opening::existing);
  for (const auto& summary : ledger.list()) {
    if (summary.kind != laid.info.kind || summary.title != laid.info.title) continue;
    auto record = ledger.read(summary.id);
    if (record.info.plan_digest == laid.info.plan_digest) {
      if (summary.state != CampaignState::ended) refuse_changes(record, laid);
      return Unfinished{std::move(ledger), summary.id, std::move(record)};
    }
    if (summary.state != CampaignState::ended)
      throw Error("the plan is not that of the campaign that was cut off: " +
                      first_change(record.info.plan, laid.info.plan),
                  "--resume",
                  "undo that, give the options it was begun with, or begin afresh without --resume");
  }
  return {};
}

}  // namespace assay::campaign
