#include "assay/engine/open_campaign.hpp"

#include <unistd.h>

#include <algorithm>
#include <chrono>
#include <optional>
#include <random>
#include <sstream>
#include <thread>
#include <utility>
#include <vector>

#include "assay/engine/round_loop.hpp"
#include "assay/measure/file_io.hpp"
#include "assay/measure/machine.hpp"
#include "assay/model/error.hpp"

namespace assay::engine {

std::uint64_t make_seed() {
  std::random_device device;
  return ((static_cast<std::uint64_t>(device()) << 32U) | device()) >> 2U;
}

std::string make_uid() {
  const auto digits = measure::digest_of(std::to_string(make_seed()) + std::to_string(make_seed()));
  return digits.substr(0, 16);
}

Session current_session() {
  Session session{.mark = measure::machine_mark(), .boot = boot_id(), .facts = measure::machine_facts()};
  session.facts.push_back({"fingerprint", measure::machine_fingerprint(session.facts)});
  return session;
}

measure::MachineLock acquire_machine(const RunOptions& run, Session& session) {
  measure::MachineLock lock(run.machine_lock);
  if (lock.try_lock()) return lock;
  const auto holder = lock.holder();
  const auto who =
      holder ? "process " + std::to_string(holder->pid) + " of user " + std::to_string(holder->user) : "";
  const auto report = [&](WhenBusy what) {
    if (run.observer != nullptr) run.observer->on_busy(what, who);
  };
  report(run.when_busy);
  const auto patience = measure::MachineLock::patience(holder, getuid());
  const auto now = steady_clock();
  const auto begin = now();
  while (run.when_busy == WhenBusy::wait && !lock.try_lock()) {
    if (run.stop.stop_requested()) throw Cancelled{};
    if (patience && now() - begin > *patience) {
      report(WhenBusy::proceed);
      break;
    }
    std::this_thread::sleep_for(std::chrono::milliseconds(200));
  }
  if (!lock.try_lock()) session.facts.push_back({"beside another campaign", "yes"});
  return lock;
}

namespace {

std::vector<std::string> lines_of(const std::string& text) {
  std::vector<std::string> lines;
  std::istringstream in(text);
  for (std::string line; std::getline(in, line);) lines.push_back(line);
  return lines;
}

/// The first line in which the plans differ, with the section it is in.
std::string first_difference(const std::string& was, const std::string& now) {
  const auto before = lines_of(was), after = lines_of(now);
  const auto [a, b] = std::ranges::mismatch(before, after);
  std::string section;
  for (auto at = after.begin(); at != b; ++at)
    if (at->starts_with("[")) section = *at + ": ";
  const auto shown = [](auto at, auto end) { return at == end ? std::string("nothing") : "\"" + *at + "\""; };
  return section + shown(b, after.end()) + ", was " + shown(a, before.end());
}

constexpr const char* measure_again = "measure again without resuming";

/// How the programs differ, in words; empty: they don't.
std::string changed_program(const Design& was, const Design& now) {
  for (const auto id : now.candidates.ids()) {
    if (!was.candidates.contains(id)) break;
    const auto &before = was.candidates[id].from, &after = now.candidates[id].from;
    const auto& name = now.candidates[id].name;
    if (before.commit != after.commit)
      return name + " is another commit: " + after.commit.substr(0, 10) + ", was " +
             before.commit.substr(0, 10);
    if (before.exe_digest != after.exe_digest)
      return name + "'s program has changed: its bytes are not those that were measured";
    if (before.identity != after.identity)
      return name + " calls itself \"" + after.identity + "\", and did \"" + before.identity + "\"";
  }
  return {};
}

/// How a machine is of another kind than one before, in words; empty: it is not.
std::string other_kind(const Session& was, const Session& now) {
  std::string what;
  const auto shown = [](const std::string& fact) { return fact.empty() ? std::string("all") : fact; };
  for (const char* name : measure::lasting_facts)
    if (was.fact(name) != now.fact(name))
      what += (what.empty() ? "" : "; ") + std::string(name) + " " + shown(now.fact(name)) + ", was " +
              shown(was.fact(name));
  return what;
}

void refuse_other_machine(const Session& was, const Session& now) {
  if (const auto what = other_kind(was, now); !what.empty())
    throw Error("this is another machine: " + what, Error::Field::resume, measure_again,
                Error::Code::changed);
}

/// The newest campaign of the same plan. Throws Error where the same command was cut off with another plan.
std::optional<ledger::CampaignSummary> find_same_plan(ledger::Ledger& ledger, const Design& laid) {
  if (auto same = ledger.list({.kinds = {laid.kind}, .plan_digest = laid.plan_digest, .newest = 1});
      !same.empty())
    return std::move(same.front());
  for (const auto& summary : ledger.list({.kinds = {laid.kind}, .title = laid.title})) {
    const bool same_command = summary.repeat == laid.repeat_command;
    if (same_command && summary.state != CampaignState::ended)
      throw Error("the plan is not that of the campaign that was cut off: " +
                      first_difference(ledger.plan_of(summary.id), laid.plan),
                  Error::Field::resume,
                  "undo that, give the options it was begun with, or measure again without resuming",
                  Error::Code::changed);
  }
  return {};
}

}  // namespace

Recorder open_or_resume(Record laid, const std::string& path, bool resume) {
  if (!resume || path.empty() || !ledger::Place::of(path).is_there()) return {std::move(laid), path};
  ledger::Ledger ledger(path, ledger::Ledger::OpenMode::existing);
  const auto found = find_same_plan(ledger, laid.design);
  if (!found) return {std::move(laid), path};
  auto before = ledger.read(found->id);
  const auto changed = changed_program(before.design, laid.design);
  if (found->state == CampaignState::ended) {
    if (changed.empty()) return {std::move(before), {}};
    return {std::move(laid), path};  // there is nothing to go on with
  }
  if (!changed.empty()) throw Error(changed, Error::Field::resume, measure_again, Error::Code::changed);
  auto session = std::move(laid.log.sessions.front());
  if (!before.log.sessions.empty()) {
    refuse_other_machine(before.log.sessions.back(), session);
    session.machine = before.log.sessions.back().machine;
  }
  before.design.factors = std::move(laid.design.factors);
  return {std::move(before), std::move(ledger), found->id, std::move(session)};
}

namespace {

[[noreturn]] void refuse(const std::string& what, const std::string& remedy) {
  throw Error(what, "join", remedy, Error::Code::changed);
}

std::string cell_text(const Design& design, CellId id) {
  const auto setting = design.cells[id].setting.text();
  return design.candidate_of(id).name + " on " + design.workload_of(id).name +
         (setting.empty() ? "" : ", " + setting);
}

/// Both designs list the same cells under the same numbers.
void require_same_cells(const Design& was, const Design& now) {
  const auto count = std::max(was.cells.size(), now.cells.size());
  for (std::size_t i = 0; i < count; ++i) {
    const CellId id{static_cast<std::int64_t>(i)};
    const auto of = [&](const Design& design) {
      return design.cells.contains(id) ? cell_text(design, id) : std::string("nothing");
    };
    if (of(was) != of(now))
      refuse("the plan lays down other cells here: " + of(now) + ", and there " + of(was),
             "is this the folder of the same project?");
  }
  if (was.comparisons != now.comparisons)
    refuse("the plan compares other cells here", "is this the folder of the same project?");
  for (const auto id : was.workloads.ids())
    if (was.workloads[id].digest != now.workloads[id].digest)
      refuse("workload " + was.workloads[id].name + " is read otherwise here",
             "is this the same version of Assay?");
  for (const auto& metric : was.metrics) {
    if (!metric.request.watched || !metric.request.missing.empty()) continue;
    const auto here = now.metrics.find_by_name(metric.name);
    if (!here || !now.metrics[*here].request.missing.empty())
      refuse(metric.name + " is watched, and can't be measured here",
             "assay conditions says what this machine offers");
  }
}

/// Whether two programs are the same file, or differ in nothing that is loaded. A part is Provenance or BuildInfo.
template <class Part>
bool is_same_program(const Part& was, const Part& now) {
  return was.exe_digest == now.exe_digest ||
         (!was.loaded_digest.empty() && was.loaded_digest == now.loaded_digest);
}

/// The candidate whose program is another one here; empty: none is.
std::string other_program(const Design& was, const Design& now) {
  for (const auto id : was.candidates.ids())
    if (!is_same_program(was.candidates[id].from, now.candidates[id].from)) return was.candidates[id].name;
  for (const auto& build : was.builds)
    for (const auto& here : now.builds)
      if (build.candidate == here.candidate && build.setting == here.setting && !is_same_program(build, here))
        return was.candidates[build.candidate].name;
  return {};
}

/// Whether a candidate comes from the same source by the same steps and compiler.
bool is_built_alike(const Design& was, const Design& now, const std::string& name) {
  const auto id = *was.candidates.find_by_name(name);
  const auto &before = was.candidates[id].from, &here = now.candidates[id].from;
  if (before.commit != here.commit || before.compiler != here.compiler || before.flags != here.flags)
    return false;
  const auto steps_of = [&](const Design& design) {
    std::vector<std::vector<std::string>> steps;
    for (const auto& build : design.builds)
      if (build.candidate == id) steps.push_back(build.steps);
    return steps;
  };
  return steps_of(was) == steps_of(now) && !before.commit.empty();
}

}  // namespace

Recorder join_campaign(Record laid, const std::string& path, const Joining& joining) {
  ledger::Ledger ledger(path, ledger::Ledger::OpenMode::existing);
  const auto found = ledger::find_campaign(ledger.matching(joining.uid), joining.uid);
  const auto before = ledger.read(found.id);
  auto session = std::move(laid.log.sessions.front());
  session.label = joining.label;
  require_same_cells(before.design, laid.design);
  if (const auto other = other_program(before.design, laid.design); !other.empty()) {
    if (!joining.unlike || !is_built_alike(before.design, laid.design, other))
      refuse(other + " is another program here than where the campaign was begun",
             is_built_alike(before.design, laid.design, other)
                 ? "builds in a folder of the same name, or with -ffile-prefix-map, are often equal; "
                   "--unlike measures it "
                   "all the same"
                 : "it has to come from the same source, by the same steps and compiler");
    session.facts.push_back({"another build", other});
  }
  if (!joining.unlike && !before.log.rounds.empty())  // who laid it down and measured nothing does not count
    if (const auto what = other_kind(before.log.sessions[before.log.rounds.front().session], session);
        !what.empty())
      refuse("this is another kind of machine: " + what,
             "--unlike takes part all the same; findings are shown by machine");
  const auto own = ledger.join(found.id, session);
  auto record = ledger.read(found.id);
  record.design.factors = std::move(laid.design.factors);
  return {std::move(record), std::move(ledger), found.id, own};
}

}  // namespace assay::engine
