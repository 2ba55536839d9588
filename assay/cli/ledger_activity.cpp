#include "assay/cli/ledger_activity.hpp"

#include <algorithm>
#include <ctime>
#include <iomanip>
#include <iostream>
#include <map>
#include <set>
#include <sstream>

#include "assay/app/options.hpp"
#include "assay/app/terminal.hpp"
#include "assay/cli/find_campaign.hpp"
#include "assay/judge.hpp"
#include "assay/plan.hpp"
#include "assay/report.hpp"

namespace assay::cli {

std::string date_text(std::int64_t milliseconds) {
  const std::time_t time = milliseconds / 1000;
  std::tm local{};
  localtime_r(&time, &local);
  std::ostringstream text;
  text << std::put_time(&local, "%Y-%m-%d %H:%M");
  return text.str();
}

namespace {

/// What a machine is, in a few words: "16 cores, Xeon Gold 6248".
std::string kind_of_machine(const Session& session) {
  const auto allowed = session.fact("cores allowed");
  return (allowed.empty() ? session.fact("cores") : allowed + " of " + session.fact("cores")) + " cores, " +
         session.fact("processor");
}

std::string ago(double seconds) {
  constexpr double least = 0.1;  // what lies below says nothing
  return duration(std::max(seconds, least)) + " ago";
}

/// What the machine does now, or did last.
std::string doing(const ledger::CampaignActivity& activity, const std::set<SessionId>& sessions) {
  std::string last;
  for (const auto id : sessions) {
    const auto& seen = activity.seen[id];
    const Round* newest = nullptr;
    for (const auto& round : activity.rounds)
      if (round.session == id) newest = &round;
    if (seen.at_work)
      return newest != nullptr && newest->state == RoundState::open
                 ? "round " + std::to_string(newest->number) + ", heard of " + ago(seen.seconds_ago)
                 : std::string("at work");
    const bool lost = newest != nullptr && newest->state != RoundState::complete;
    last = lost ? "lost in round " + std::to_string(newest->number) + ", " + ago(seen.seconds_ago)
                : "left " + ago(seen.seconds_ago);
  }
  return last;
}

}  // namespace

int show_activity(const std::string& named, const std::string& campaign) {
  using app::pad_left;
  using app::pad_right;
  auto found = find_campaign(campaign, named);
  const auto activity = found.ledger.activity(found.campaign.id);
  const auto& summary = found.campaign;
  const auto state = activity.state == CampaignState::ended         ? "ended"
                     : activity.is_measured()                       ? "is measured"
                     : activity.state == CampaignState::interrupted ? "interrupted"
                     : activity.rounds.empty()                      ? "laid down"
                                                                    : "cut off";
  std::cout << short_uid(summary.uid) << "  " << date_text(summary.started) << "  " << state << "  "
            << (summary.title.empty() ? summary.candidates : summary.title) << "\n";
  Log log;
  log.rounds = activity.rounds;
  const auto complete = complete_rounds(log);
  const auto counting = std::ranges::count_if(activity.rounds, [&](const Round& round) {
    return round.role == Role::measured && complete.contains(round.number);
  });
  std::cout << "  " << counting << (counting == 1 ? " round counts" : " rounds count");
  const auto waiting = std::ranges::count_if(activity.rounds, [&](const Round& round) {
    return round.role == Role::measured && round.state == RoundState::complete &&
           !complete.contains(round.number);
  });
  const auto open = std::ranges::find_if(activity.rounds, [](const Round& round) {
    return round.role != Role::warm_up && round.state == RoundState::open;
  });
  if (waiting > 0 && open != activity.rounds.end())
    std::cout << ", " << waiting << " more once round " << open->number << " is closed or given up";
  if (activity.rounds_max > 0 && activity.rounds_max < PlannedRounds::open_end)
    std::cout << ", of at most " << activity.rounds_max;
  std::cout << "; " << activity.decided << " of " << activity.comparisons << " comparisons are done";
  if (activity.is_closing && activity.state != CampaignState::ended)
    std::cout << "; no more rounds are begun";
  std::cout << "\n";
  std::map<int, std::set<SessionId>> machines;
  const auto numbers = machine_numbers(activity.sessions, activity.rounds);
  for (const auto session : numbers.ids()) machines[numbers[session] + 1].insert(session);
  std::size_t widest = 0;
  for (const auto& session : activity.sessions) widest = std::max(widest, kind_of_machine(session).size());
  std::cout << "  " << pad_right("machine", 14) << pad_right("kind", widest) << "  rounds  now\n";
  for (const auto& machine : machines) {
    const auto& sessions = machine.second;
    const bool has_rounds = std::ranges::any_of(
        activity.rounds, [&](const Round& round) { return sessions.contains(round.session); });
    const bool is_there =
        std::ranges::any_of(sessions, [&](SessionId id) { return activity.seen[id].at_work; });
    if (!has_rounds && !is_there) continue;  // it laid the campaign down
    const auto& last = activity.sessions[*sessions.rbegin()];
    const auto rounds = std::ranges::count_if(activity.rounds, [&](const Round& round) {
      return round.role == Role::measured && round.state == RoundState::complete &&
             sessions.contains(round.session);
    });
    const auto label = std::to_string(machine.first) + (last.label.empty() ? "" : " " + last.label);
    std::cout << "  " << pad_right(label, 14) << pad_right(kind_of_machine(last), widest)
              << pad_left(std::to_string(rounds), 8) << "  " << doing(activity, sessions) << "\n";
  }
  return app::exit_done;
}

int close_campaign(const std::string& named, const std::string& campaign) {
  auto found = find_campaign(campaign, named);
  found.ledger.close_campaign(found.campaign.id);
  const auto id = short_uid(found.campaign.uid);
  const bool is_measured = found.ledger.activity(found.campaign.id).is_measured();
  std::cout << (is_measured ? "no more rounds of " + id + " are begun; it ends with those under way"
                            : id + " has ended")
            << "; assay verdict " << id << " shows it\n";
  return app::exit_done;
}

}  // namespace assay::cli
