// Ledgers beside the bare thing: storing trials one by one, copying campaigns and reading them, in a file and in a database,
// against a COPY of the same rows by psql alone; lists among many campaigns.
//
//   bench_ledgers FILE [DATABASE [CAMPAIGNS TRIALS]]     both new; DATABASE: postgresql:///... , empty

#include <fmt/format.h>
#include <unistd.h>

#include <chrono>
#include <cstdio>
#include <cstdlib>
#include <fstream>
#include <functional>
#include <random>
#include <string>

#include "assay/ledger.hpp"

namespace {

using assay::Ledger;
using assay::Record;

double seconds_of(const std::function<void()>& act) {
  const auto start = std::chrono::steady_clock::now();
  act();
  return std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count();
}

/// A campaign of two candidates with twelve metrics, of so many trials.
Record campaign(int number, int trials) {
  std::mt19937_64 draw(static_cast<std::uint64_t>(number));
  Record record;
  auto& design = record.design;
  design.uid = fmt::format("{:016x}", draw());
  design.title = "planning the morning's barges";
  design.candidates = {{.name = "list"}, {.name = "heap", .baseline = assay::model::CandidateId{0}}};
  design.workloads = {{.name = "orders"}};
  design.cells = {{}, {.candidate = assay::model::CandidateId{1}}};
  design.comparisons = {{assay::model::CellId{0}, assay::model::CellId{1}}};
  for (int m = 0; m < 12; ++m) design.metrics.add({.name = fmt::format("metric {}", m), .unit = "s"});
  record.log.sessions.add({.boot = "boot", .facts = {{"fingerprint", "lock keeper's desk"}}});
  record.log.state = assay::model::CampaignState::ended;
  std::lognormal_distribution<double> value(0, 0.1);
  for (int i = 0; i < trials; ++i) {
    const int round = i / 2 + 1;
    const assay::model::CellId cell{i % 2};
    if (i % 2 == 0) {
      auto& added = record.log.rounds.emplace_back();
      added.number = round;
      added.state = assay::model::RoundState::complete;
      added.order = {assay::model::CellId{0}, assay::model::CellId{1}};
    }
    assay::model::Trial trial{.cell = cell, .round = round, .position = i % 2};
    for (const auto metric : design.metrics.ids()) trial.readings.push_back({metric, value(draw)});
    record.log.trials.push_back(std::move(trial));
  }
  return record;
}

/// The same rows, put into a table by COPY alone.
double bare_copy(const std::string& database, const Record& record, int times) {
  const std::string file = "/tmp/assay-bench-rows-" + std::to_string(getpid());
  {
    std::ofstream rows(file);
    for (int i = 0; i < times; ++i)
      for (const auto& trial : record.log.trials) {
        rows << "1\t" << trial.round.value_or(0) << '\t' << trial.cell.value
             << "\t{0,1,2,3,4,5,6,7,8,9,10,11}\t{";
        for (std::size_t k = 0; k < trial.readings.size(); ++k)
          rows << (k > 0 ? "," : "") << trial.readings[k].value;
        rows << "}\n";
      }
  }
  const auto run = [&](const std::string& statement) {
    const auto command = "psql -X -q '" + database + "' -c \"" + statement + "\"";
    if (std::system(command.c_str()) != 0) std::exit(1);
  };
  run("CREATE TABLE IF NOT EXISTS bare (campaign BIGINT, round INTEGER, cell INTEGER, metrics SMALLINT[], "
      "vals DOUBLE PRECISION[])");
  const double seconds = seconds_of([&] { run("\\copy bare FROM '" + file + "'"); });
  run("DROP TABLE bare");
  std::remove(file.c_str());
  return seconds;
}

void lists(const char* of, const std::string& place) {
  Ledger ledger(place, Ledger::OpenMode::existing);
  const auto uid = ledger.list({.newest = 50}).back().uid;
  fmt::print("{}: newest hundred {:.3f} s, last {:.3f} s, by the beginning of an id {:.3f} s\n", of,
             seconds_of([&] { ledger.list({.newest = 100}); }), seconds_of([&] { ledger.matching("last"); }),
             seconds_of([&] { ledger.matching(uid.substr(0, 8)); }));
}

}  // namespace

int main(int argc, char** argv) {
  if (argc < 2) {
    fmt::print(stderr, "usage: {} FILE [DATABASE [CAMPAIGNS TRIALS]]\n", argv[0]);
    return 2;
  }
  const std::string file = argv[1], database = argc > 2 ? argv[2] : "";
  const int campaigns = argc > 3 ? std::atoi(argv[3]) : 50, trials = argc > 4 ? std::atoi(argv[4]) : 4000;
  const double all = static_cast<double>(campaigns) * trials;
  Ledger here(file);
  const double made = seconds_of([&] {
    for (int i = 0; i < campaigns; ++i) here.add_whole(campaign(i, trials));
  });
  fmt::print("{} campaigns of {} trials of 12 readings, into a file: {:.1f} s, {:.0f} trials/s\n", campaigns,
             trials, made, all / made);
  lists("the file", file);
  if (database.empty()) return 0;
  const double bare = bare_copy(database, campaign(0, trials), campaigns);
  fmt::print("bare COPY of as many rows: {:.1f} s\n", bare);
  Ledger there(database, Ledger::OpenMode::update), back(file + ".back");
  const double to = seconds_of([&] { here.copy(there, {}); });
  fmt::print("copied to the database: {:.1f} s, {:.0f} trials/s, {:.1f} times the bare COPY\n", to, all / to,
             to / bare);
  const double from = seconds_of([&] { there.copy(back, {}); });
  fmt::print("copied back: {:.1f} s, {:.0f} trials/s\n", from, all / from);
  lists("the database", database);
  const auto some = campaign(-1, 2000);
  auto blank = some;
  blank.log.trials.clear();
  blank.log.rounds.clear();
  const auto id = there.begin(blank);
  const double one_by_one = seconds_of([&] {
    for (const auto& trial : some.log.trials) there.add_trial(id, trial);
  });
  fmt::print("trials stored one by one: {:.2f} ms each\n", 1e3 * one_by_one / 2000);
  for (const auto& campaign : here.list({.newest = 3})) {
    const auto first = here.read(campaign.id);
    const auto found = back.matching(campaign.uid);
    const auto second = back.read(found.at(0).id);
    bool same = first.log.trials.size() == second.log.trials.size();
    for (std::size_t i = 0; same && i < first.log.trials.size(); ++i)
      for (std::size_t k = 0; k < 12; ++k)
        same = same && first.log.trials[i].readings[k].value == second.log.trials[i].readings[k].value;
    fmt::print("{}: {}\n", campaign.uid, same ? "the same, bit by bit" : "DIFFERS");
  }
}
