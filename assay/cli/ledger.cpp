#include <unistd.h>

#include <CLI/CLI.hpp>
#include <array>
#include <cstdlib>
#include <iostream>
#include <limits>
#include <memory>
#include <span>

#include "assay/app/terminal.hpp"
#include "assay/cli/command.hpp"
#include "assay/cli/find_campaign.hpp"
#include "assay/cli/ledger_activity.hpp"
#include "assay/error.hpp"
#include "assay/history.hpp"
#include "assay/judge.hpp"

namespace assay::cli {
namespace {

constexpr const char* ledger_examples = R"(  assay ledger                     lists campaigns, newest first
  assay ledger --all               all of them, not the newest hundred
  assay ledger last                how the last campaign stands, and which machines measure it
  assay ledger close 3f2a          no more rounds of it are begun; what there is is judged
  assay ledger name last before    names the last campaign "before"
  assay ledger prune --keep 20     keeps the newest twenty and those with a name
  assay ledger prune --older 180d  takes out what is older than 180 days, but what has a name
  assay ledger prune 3f2a          takes one campaign out for good
  assay ledger reduce --keep 50    trials of older campaigns of a history go, their values stay
  assay ledger copy --to keep.db   copies what is not there yet, to a file or a database
  assay ledger update              makes the tables of a ledger on PostgreSQL, or brings them up to date

A ledger is a file, or a database that a team shares: --ledger service=NAME (of ~/.pg_service.conf) or
postgresql://HOST/DATABASE. ASSAY_LEDGER names the ledger of every command that is not given --ledger.)";

/// A path as one would write it: below the home folder with a tilde.
std::string from_home(const std::string& path) {
  const char* home = std::getenv("HOME");
  const std::string prefix = home != nullptr && *home != '\0' ? std::string(home) + "/" : "";
  return !prefix.empty() && path.starts_with(prefix) ? "~/" + path.substr(prefix.size()) : path;
}

int list(const std::string& named, bool all) {
  constexpr std::size_t newest = 100;
  const auto paths = searched_ledgers(named);
  if (paths.empty()) std::cerr << "assay: no campaign yet; assay duel, or assay run, makes one\n";
  for (const auto& path : paths) {
    using app::pad_left;
    using app::pad_right;
    // One more than is shown, to see whether there are more.
    auto campaigns =
        ledger::Ledger(path, ledger::Ledger::OpenMode::existing).list({.newest = all ? 0 : newest + 1});
    std::cout << from_home(ledger::Place::of(path).shown()) << "\n";
    if (campaigns.empty()) std::cout << "  no campaign\n";
    const bool more = !all && campaigns.size() > newest;
    if (more) campaigns.resize(newest);
    for (const auto& c : campaigns)
      std::cout << "  " << short_uid(c.uid) << "  " << date_text(c.started) << "  "
                << pad_right(to_string(c.kind), 7) << pad_left(std::to_string(c.rounds), 5)
                << (c.rounds == 1 ? " round   " : " rounds  ") << pad_right(to_string(c.state), 12)
                << (c.label.empty() ? "" : "[" + c.label + "] ") << (c.title.empty() ? c.candidates : c.title)
                << "\n";
    if (more) std::cout << "  the newest " << newest << "; --all lists them all\n";
  }
  return app::exit_done;
}

int name(const std::string& named, const std::string& campaign, const std::string& label) {
  if (label.empty() || label == "last")
    throw Error("\"" + label + "\" can't be a campaign's name", "ledger name", "choose another");
  auto found = find_campaign(campaign, named);
  for (const auto& other : found.ledger.list({.label = label}))
    if (other.uid != found.campaign.uid)
      throw Error("campaign " + short_uid(other.uid) + " has the name \"" + label + "\" already",
                  "ledger name", "choose another");
  found.ledger.set_label(found.campaign.id, label);
  std::cout << short_uid(found.campaign.uid) << " is now called " << label << "\n";
  return app::exit_done;
}

/// What prune takes out: a campaign, or those that are not among the newest `keep` and began before `older` seconds ago.
struct Pruning {
  std::string campaign;
  int keep = -1;      ///< below 0: not asked for
  std::string older;  ///< a duration; empty: not asked for
};

int prune(const std::string& named, const Pruning& asked) {
  const bool many = asked.keep >= 0 || !asked.older.empty();
  if (asked.campaign.empty() != many)
    throw Error("either a campaign, or --keep or --older, is needed", "ledger prune",
                "see assay ledger --help");
  if (!many) {
    auto found = find_campaign(asked.campaign, named);
    found.ledger.remove({{found.campaign.id}});
    std::cout << "took out " << short_uid(found.campaign.uid) << "\n";
    return app::exit_done;
  }
  const auto before =
      asked.older.empty()
          ? std::numeric_limits<std::int64_t>::max()
          : unix_milliseconds() - static_cast<std::int64_t>(1000 * app::parse_time(asked.older, "--older"));
  for (const auto& path : searched_ledgers(named)) {
    ledger::Ledger ledger(path, ledger::Ledger::OpenMode::existing);
    if (ledger.place().is_database() && asked.older.empty())
      throw Error("the newest " + std::to_string(asked.keep) + " campaigns of a team may be one day's",
                  ledger.place().shown(), "say from what age on they go: --older 180d");
    int seen = 0;
    std::vector<CampaignId> old;
    std::string pruned;
    for (const auto& c : ledger.list()) {
      if (++seen <= asked.keep || c.started >= before || !c.label.empty()) continue;
      // What was cut off may be gone on with, unless it is as old as was asked for.
      if (c.state == CampaignState::open && (asked.older.empty() || ledger.activity(c.id).is_measured()))
        continue;
      old.push_back(c.id);
      pruned += "took out " + short_uid(c.uid) + "\n";
    }
    if (old.empty()) continue;
    ledger.remove(old);
    std::cout << pruned;
  }
  return app::exit_done;
}

/// Reduces what histories have measured to their values.
int reduce(const std::string& named, int keep) {
  for (const auto& path : searched_ledgers(named))
    if (const auto count = reduce_history(path, static_cast<std::size_t>(keep)); count > 0)
      std::cout << "reduced " << count << (count == 1 ? " campaign" : " campaigns") << " of " << path
                << " to what a history needs\n";
  return app::exit_done;
}

/// Copies campaigns that another ledger does not have.
int copy(const std::string& named, const std::string& campaign, const std::string& to) {
  ledger::Ledger other(to);
  Ledger::Copied all;
  const auto copy_from = [&](Ledger& from, std::span<const CampaignId> only) {
    const bool shows = isatty(STDERR_FILENO) == 1;
    const auto some = from.copy(other, only, [&](const Ledger::Copied& done) {
      if (shows)
        std::cerr << "\r" << done.campaigns << " campaigns, " << done.trials << " trials" << std::flush;
    });
    if (shows) std::cerr << "\r" << std::string(60, ' ') << "\r";
    all.campaigns += some.campaigns;
    all.trials += some.trials;
    all.there_already += some.there_already;
    for (const auto& uid : some.being_measured)
      std::cerr << "assay: " << short_uid(uid) << " is being measured, and was left out\n";
  };
  if (campaign.empty()) {
    for (const auto& path : searched_ledgers(named)) {
      Ledger from(path, Ledger::OpenMode::existing);
      copy_from(from, {});
    }
  } else {
    auto found = find_campaign(campaign, named);
    copy_from(found.ledger, std::array{found.campaign.id});
  }
  std::cout << "copied " << all.campaigns << (all.campaigns == 1 ? " campaign, " : " campaigns, ")
            << all.trials << " trials";
  if (all.there_already > 0) std::cout << "; " << all.there_already << " were there already";
  std::cout << "\n";
  return app::exit_done;
}

/// Makes the tables of a database, or brings them up to date.
int update(const std::string& named) {
  const auto text = ledger_asked(named, state_ledger);
  const ledger::Ledger ledger(text, ledger::Ledger::OpenMode::update);
  std::cout << ledger.place().shown() << " has the tables of version " << Ledger::version
            << (ledger.place().is_database() ? "; its roles have their rights" : "") << "\n";
  return app::exit_done;
}

struct LedgerOptions {
  std::string ledger, shown, campaign, label, to, older;
  int keep = -1;
  bool all = false;
};

}  // namespace

void add_ledger(CLI::App& app, Action& action) {
  auto* command = app.add_subcommand("ledger", "list, name and prune the campaigns that were kept");
  auto asked = std::make_shared<LedgerOptions>();
  command->add_option("--ledger", asked->ledger, "the ledger to look in: a file, or service=NAME");
  command->add_option("CAMPAIGN", asked->shown, "show how this one stands, and which machines measure it");
  command->add_flag("--all", asked->all, "list all campaigns, not the newest hundred");
  command->require_subcommand(0, 1);
  command->footer(ledger_examples);
  auto* naming = command->add_subcommand("name", "give a campaign a name");
  naming->add_option("CAMPAIGN", asked->campaign, "last, a name, or the beginning of an id")->required();
  naming->add_option("NAME", asked->label, "its new name")->required();
  auto* pruning = command->add_subcommand("prune", "take campaigns out for good");
  pruning->add_option("CAMPAIGN", asked->campaign, "the one to take out");
  pruning->add_option("--keep", asked->keep, "keep this many of the newest, and those with a name")
      ->check(CLI::NonNegativeNumber);
  pruning->add_option("--older", asked->older, "take out only what began longer ago than this, like 180d");
  auto* reducing = command->add_subcommand(
      "reduce", "take the trials of old campaigns of a history out, and keep their values");
  reducing
      ->add_option("--keep", asked->keep,
                   "leave this many of the newest of them as they are, and those with a name")
      ->required()
      ->check(CLI::NonNegativeNumber);
  auto* copying =
      command->add_subcommand("copy", "copy campaigns that another ledger does not have, either way");
  copying->add_option("CAMPAIGN", asked->campaign, "the one to copy; else all");
  copying->add_option("--to", asked->to, "the ledger to copy to: a file, which is made, or a database")
      ->required();
  auto* updating =
      command->add_subcommand("update", "make the tables of a database, or bring them up to date");
  auto* closing = command->add_subcommand("close", "let no more rounds of a campaign be begun: it ends");
  closing->add_option("CAMPAIGN", asked->campaign, "a name, or the beginning of an id")->required();
  for (auto* part : {naming, pruning, reducing, copying, updating, closing})
    part->fallthrough();  // --ledger may follow
  command->callback([=, &action] {
    action = [=] {
      if (copying->parsed()) return copy(asked->ledger, asked->campaign, asked->to);
      if (updating->parsed()) return update(asked->ledger);
      if (reducing->parsed()) return reduce(asked->ledger, asked->keep);
      if (naming->parsed()) return name(asked->ledger, asked->campaign, asked->label);
      if (pruning->parsed()) return prune(asked->ledger, {asked->campaign, asked->keep, asked->older});
      if (closing->parsed()) return close_campaign(asked->ledger, asked->campaign);
      if (!asked->shown.empty()) return show_activity(asked->ledger, asked->shown);
      return list(asked->ledger, asked->all);
    };
  });
}

}  // namespace assay::cli
