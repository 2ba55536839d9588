// Operating characteristics of a campaign of 8 to 60 rounds on one finding, by simulation: how often it says
// what, and after how many rounds. By the default rules, giving up included.
//
//   bench_characteristics [CAMPAIGNS]    campaigns for each row (default 1000)

#include <fmt/format.h>

#include <algorithm>
#include <boost/math/distributions/beta.hpp>
#include <cmath>
#include <cstdlib>
#include <functional>
#include <string>
#include <vector>

#include "assay/judge/judge.hpp"
#include "assay/judge/stopping.hpp"
#include "assay/model/observations.hpp"
#include "assay/schedule/interim_looks.hpp"
#include "assay/stats/random.hpp"

namespace {

using namespace assay;
using namespace assay::model;

struct Said {
  int changed = 0, same = 0, unclear = 0, missed = 0;
  double rounds = 0;
};

/// What each round showed, and which of so many machines ran them in turns.
struct Rounds {
  std::vector<double> baseline = std::vector<double>(60), candidate = std::vector<double>(60);
  std::size_t machines = 1;
};
using Draw = std::function<void(stats::Random&, Rounds&)>;

constexpr int first_round = 2, most_rounds = 60;

/// A campaign on its way; the values are logarithms, in units of the margin of 1 %.
Record begun(double margin, std::size_t machines) {
  Record record;
  auto& design = record.design;
  design = {
      .uid = "0123456789abcdef", .kind = CampaignKind::plan, .rules = {.margin = margin, .rounds_min = 8}};
  design.rules.rounds_max = most_rounds;
  record.log.state = CampaignState::open;
  design.workloads = {{.name = "orders"}};
  design.metrics = {{.name = "wall time", .unit = "s", .request = {.watched = true}}};
  for (std::size_t i = 0; i < machines; ++i) {
    Session session;
    session.machine = MachineId{static_cast<std::int64_t>(i)};
    record.log.sessions.add(session);
  }
  design.candidates.add({.name = "list"});
  design.candidates.add({.name = "heap", .baseline = CandidateId{0}});
  for (const auto candidate : design.candidates.ids()) design.cells.add({.candidate = candidate});
  design.comparisons.push_back({{0}, {1}});
  return record;
}

void add_round(Record& record, int number, double baseline, double candidate) {
  const double unit = std::log(1.01);
  Round round;
  round.number = number;
  round.role = Role::measured;
  round.state = RoundState::complete;
  round.order = {CellId{0}, CellId{1}};
  round.session = SessionId{number % static_cast<std::int64_t>(record.log.sessions.size())};
  for (const auto cell : round.order) {
    Trial trial{.cell = cell, .round = number, .role = Role::measured};
    trial.readings = {{MetricId{0}, std::exp(unit * (cell == CellId{0} ? baseline : candidate))}};
    record.log.trials.push_back(trial);
  }
  record.log.rounds.push_back(round);
}

/// Measures as a campaign does, until its comparison is done or the rounds are over; `truth` is in margins
/// of 1 %.
Finding measured(const Rounds& rounds, double truth, double margin) {
  auto record = begun(margin, rounds.machines);
  const auto looks = schedule::planned_looks(8, most_rounds);
  for (int r = 0; r < most_rounds; ++r) {
    add_round(record, r + first_round, rounds.baseline[static_cast<std::size_t>(r)],
              rounds.candidate[static_cast<std::size_t>(r)] + truth);
    if (std::ranges::find(looks, r + 1) == looks.end()) continue;
    const Observations evidence(record.design, record.log);
    const auto watched = judge::interim_findings(record.design, evidence);
    if (!judge::finished_comparisons(evidence, watched, {.rounds = most_rounds}).empty()) break;
  }
  record.log.state = CampaignState::ended;
  return judge::judge_record(record).findings.front();
}

Said simulate(int campaigns, double truth, double margin, const Draw& draw) {
  Said said;
  for (int i = 0; i < campaigns; ++i) {
    stats::Random random(77, static_cast<std::uint64_t>(i));
    Rounds rounds;
    draw(random, rounds);
    const auto f = measured(rounds, truth, margin * 0.01);
    said.rounds += static_cast<double>(f.rounds) / campaigns;
    said.same += f.verdict == Verdict::same ? 1 : 0;
    said.unclear += f.verdict == Verdict::unclear ? 1 : 0;
    said.changed += f.verdict == Verdict::better || f.verdict == Verdict::worse ? 1 : 0;
    said.missed += f.interval.contains(std::pow(1.01, truth)) ? 0 : 1;
  }
  return said;
}

/// Clopper & Pearson 1934, 95 %.
std::string share(int count, int of) {
  using boost::math::beta_distribution;
  const double k = count, n = of;
  const double low = count == 0 ? 0 : quantile(beta_distribution<>(k, n - k + 1), 0.025);
  const double high = count == of ? 1 : quantile(beta_distribution<>(k + 1, n - k), 0.975);
  return fmt::format("{:5.1f} ({:.1f}-{:.1f})", 100 * k / n, 100 * low, 100 * high);
}

void row(const std::string& name, const Said& s, int n) {
  fmt::print("| {} | {} | {} | {} | {} | {:.1f} |\n", name, share(s.changed, n), share(s.same, n),
             share(s.unclear, n), share(n - s.missed, n), s.rounds);
}

/// Effects that are halved between the two sides, so that no side of a round is slow: all rounds count alike.
Draw alike(const std::function<double(stats::Random&, std::size_t)>& effect) {
  return [effect](stats::Random& random, Rounds& rounds) {
    for (std::size_t r = 0; r < rounds.baseline.size(); ++r) {
      const double d = effect(random, r);
      rounds.baseline[r] = -0.5 * d;
      rounds.candidate[r] = 0.5 * d;
    }
  };
}

Draw normal(double sd) {
  return alike([sd](stats::Random& random, std::size_t) { return sd * random.normal(); });
}

/// Two trials of one distribution in each round.
Draw trials(const std::function<double(stats::Random&, std::size_t)>& trial) {
  return [trial](stats::Random& random, Rounds& rounds) {
    for (std::size_t r = 0; r < rounds.baseline.size(); ++r) {
      rounds.baseline[r] = trial(random, r);
      rounds.candidate[r] = trial(random, r);
    }
  };
}

/// The same trials, but judged as if no round were slow.
Draw all_of(const Draw& draw) {
  return [draw](stats::Random& random, Rounds& rounds) {
    draw(random, rounds);
    for (std::size_t r = 0; r < rounds.baseline.size(); ++r) {
      const double d = rounds.candidate[r] - rounds.baseline[r];
      rounds.baseline[r] = -0.5 * d;
      rounds.candidate[r] = 0.5 * d;
    }
  };
}

/// One of several machines that run rounds in turns: how many times as long everything takes there, and how much its
/// trials scatter, in margins of 1 %.
struct Computer {
  double slower = 1, spread = 2;
};

/// Trials with noise that mostly makes them slower; `jitter` is what the change differs by from machine to machine, one
/// way on the odd ones and the other on the even ones, in margins.
Draw fleet(std::vector<Computer> machines, double jitter = 0) {
  return [machines = std::move(machines), jitter](stats::Random& random, Rounds& rounds) {
    rounds.machines = machines.size();
    for (std::size_t r = 0; r < rounds.baseline.size(); ++r) {
      const auto on = (r + first_round) % machines.size();
      const auto trial = [&] {
        const double slow = random.below(2) == 0 ? -std::log1p(-random.uniform()) : 0;
        return std::log(machines[on].slower) / std::log(1.01) +
               machines[on].spread * (0.25 * random.normal() + slow);
      };
      rounds.baseline[r] = trial();
      rounds.candidate[r] = trial() + (on % 2 == 0 ? jitter : -jitter);
    }
  };
}

void fleets(int n) {
  const std::vector<std::pair<std::string, std::vector<Computer>>> all = {
      {"one", {{}}},
      {"two, 3 % apart", {{}, {1.03}}},
      {"two, 1 : 2, noise 1 : 3", {{}, {2, 6}}},
      {"four, 1 : 1.03 : 1.1 : 2", {{}, {1.03}, {1.1}, {2}}},
      {"sixteen, up to 10 % apart", [] {
         std::vector<Computer> many;
         for (int i = 0; i < 16; ++i) many.push_back({1 + 0.1 * i / 15});
         return many;
       }()}};
  for (const double truth : {0.0, 2.0})
    for (const auto& [name, machines] : all)
      row(fmt::format("{} on {}", truth == 0 ? "no change" : "change of two margins", name),
          simulate(n, truth, truth == 0 ? 1e-9 : 0.5, fleet(machines)), n);
  row("five margins better on one of two machines, as much worse on the other",
      simulate(n, 0, 1, fleet({{}, {2}}, 5)), n);
}

}  // namespace

int main(int argc, char** argv) {
  const int n = argc > 1 ? std::max(20, std::atoi(argv[1])) : 1000;
  fmt::print(
      "| truth; spread is the standard deviation of a round's effect | changed % | same % | unclear % | "
      "interval covers % | mean rounds |\n"
      "|---|---|---|---|---|---|\n");
  row("no change, spread half the margin", simulate(n, 0, 1, normal(0.5)), n);
  row("no change, spread the margin", simulate(n, 0, 1, normal(1)), n);
  row("no change, spread twice the margin", simulate(n, 0, 1, normal(2)), n);
  row("change at the margin, spread half of it", simulate(n, 1, 1, normal(0.5)), n);
  row("change of 1.5 margins, spread half the margin", simulate(n, 1.5, 1, normal(0.5)), n);
  row("change of two margins, spread two margins", simulate(n, 2, 1, normal(2)), n);
  row("change of three margins, spread two margins", simulate(n, 3, 1, normal(2)), n);
  row("change of ten spreads", simulate(n, 10, 0.5, normal(1)), n);
  const auto none = [&](const std::string& name, const Draw& draw) {
    row("no change, margin 0: " + name, simulate(n, 0, 1e-9, draw), n);
  };
  fleets(n);
  none("normal", normal(1));
  none("Student's t, 3 degrees", trials([](stats::Random& r, std::size_t) {
         return r.normal() /
                std::sqrt((std::pow(r.normal(), 2) + std::pow(r.normal(), 2) + std::pow(r.normal(), 2)) / 3);
       }));
  none("Cauchy", trials([](stats::Random& r, std::size_t) {
         return std::clamp(r.normal() / std::abs(r.normal()), -1e4, 1e4);  // what the logarithms can hold
       }));
  none("lognormal", trials([](stats::Random& r, std::size_t) { return std::exp(r.normal()); }));
  none("two modes",
       trials([](stats::Random& r, std::size_t) { return (r.below(2) == 0 ? 0 : 8) + r.normal(); }));
  none("spread jumps fivefold at half time",
       trials([](stats::Random& r, std::size_t round) { return r.normal() * (round < 30 ? 1 : 5); }));
  none("trials drift by a spread in ten rounds", trials([](stats::Random& r, std::size_t round) {
         return r.normal() + 0.1 * static_cast<double>(round);
       }));
  none("autocorrelated trials (0.8)", [](stats::Random& random, Rounds& rounds) {
    double mood = 0;
    for (std::size_t r = 0; r < rounds.baseline.size(); ++r) {
      const bool first = random.below(2) == 0;
      for (auto* side :
           {first ? &rounds.baseline : &rounds.candidate, first ? &rounds.candidate : &rounds.baseline})
        (*side)[r] = mood = 0.8 * mood + random.normal();
    }
  });
  none("effects that keep growing", alike([](stats::Random& random, std::size_t round) {
         return (random.below(2) == 0 ? 1 : -1) * std::pow(1.1, static_cast<double>(round));
       }));
  const auto busy = trials([](stats::Random& random, std::size_t) {
    return 0.5 * random.normal() + (random.below(3) == 0 ? -20 * std::log(1 - random.uniform()) : 0);
  });
  for (const double truth : {0.0, 2.0, 5.0}) {
    const auto name = truth == 0 ? std::string("no change") : fmt::format("change of {} margins", truth);
    row(name + ", a third of the trials slower by 20 on average", simulate(n, truth, 1, busy), n);
    row(name + ", the same trials, slow ones counted like others", simulate(n, truth, 1, all_of(busy)), n);
  }
}
