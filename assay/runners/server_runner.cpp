#include "assay/runners/server_runner.hpp"

#include <algorithm>
#include <cmath>

#include "assay/check/output.hpp"
#include "assay/check/replies.hpp"
#include "assay/measure/file_io.hpp"
#include "assay/runners/server_session.hpp"
#include "assay/schedule/order.hpp"
#include "assay/service/server.hpp"

namespace assay::runners {
namespace {

using Sessions = std::vector<std::unique_ptr<ServerSession>>;

std::string name_of(const std::vector<service::Request>& requests, std::size_t place) {
  const auto& request = requests[place];
  return (requests.size() > 1 ? "request " + std::to_string(place + 1) + ", " : std::string{}) +
         request.method + " " + request.path;
}

check::ReplyCheck asked_of(const service::Request& request) {
  return {.status = request.status, .match = request.match};
}

/// A number that distinguishes rounds and passes, for new random orders.
int number_of(int round, std::size_t pass) {
  constexpr int most_passes = 4096;
  return round * most_passes + static_cast<int>(pass % most_passes);
}

}  // namespace

ServerRunner::ServerRunner(std::map<CellId, ServerCell> cells, measure::Launcher& launcher,
                           const Design& design, const Log& log)
    : cells_(std::move(cells)),
      launcher_(launcher),
      design_(design),
      groups_(cells_, design, log),
      ids_(design.metrics) {}

ServerRunner::~ServerRunner() = default;

void ServerRunner::close() { kept_.clear(); }

/// Requests a second that a server answers, as far as settling it tells; `surely`: once it has warmupd.
double ServerRunner::rate_of(ServerSession& life, bool surely, const std::stop_token& stop) {
  constexpr double enough = 0.3, least = 0.01, most = 100'000;
  const auto warmup = life.cell().warmup;
  double rate = life.warm_up(warmup, stop);
  if (surely && life.trial().outcome == Outcome::ok) {
    const auto count = std::clamp(rate * enough, static_cast<double>(warmup), most);
    rate = life.warm_up(static_cast<std::size_t>(count), stop);
  }
  return std::max(rate, least);
}

Trial ServerRunner::check(CellId id, std::optional<CellId> baseline, const std::stop_token& stop) {
  const auto& cell = cells_.at(id);
  const auto& requests = *cell.requests;
  const auto& check = cell.process.planned.check;
  ServerSession life(id, cell, launcher_, Role::check);
  const auto known_answers = baseline ? expected_.find(*baseline) : expected_.end();
  AcceptedBodies known(requests.size());
  std::vector<StoredOutput> masked;
  measure::Digest all;
  std::string difference;
  const bool tries_rate = !groups_.count(id);
  double each = 0;
  if (life.start(cell.connection_count(), stop)) {
    life.send_each(
        requests.size(),
        [&](const service::RequestResult& sent, const std::string& body) {
          const auto name = name_of(requests, sent.request);
          if (sent.error != service::RequestError::none)
            return life.fail(stop.stop_requested() ? Outcome::interrupted : Outcome::failed,
                             name + ": " + to_string(sent.error));
          std::optional<std::string> expected;
          if (known_answers != expected_.end()) expected = known_answers->second.at(sent.request).text();
          const bool equal = check.equal == "replies";
          if (const auto wrong = check::check_reply(check, asked_of(requests[sent.request]), sent.status,
                                                    body, equal ? expected : std::nullopt))
            life.fail(Outcome::wrong, name + ": " + *wrong);
          known[sent.request].insert(sent.digest);
          auto mine = check::masked(check, body);
          all.add(mine.data(), mine.size());
          if (expected && !equal && difference.empty() && mine != *expected)
            difference = name + ": " +
                         check::first_difference({mine, true, {}, mine.size()},
                                                 {*expected, true, {}, expected->size()});
          masked.emplace_back(check::Output{mine, true, {}, mine.size()});
        },
        stop);
    // The first replies took longer than later ones do, and may be few.
    if (life.trial().outcome == Outcome::ok) {
      const double rate = rate_of(life, tries_rate, stop);
      each = 1 / rate;
      if (tries_rate && life.trial().outcome == Outcome::ok && !stop.stop_requested())
        groups_.set_rate(id, rate);
    }
  }
  life.end(stop);
  auto trial = std::move(life.trial());
  if (mark_unsupported(trial) || trial.outcome != Outcome::ok) return trial;
  const auto count = static_cast<double>(groups_.count(id).value_or(fewest_requests));
  const double load =
      static_cast<double>(cell.warmup) * each + count * (cell.arrivals ? 1 / *cell.arrivals : each);
  groups_.record_check(id, life.counts().start_seconds, load, life.counts().peak_memory);
  const double start = keeps(id) ? 0 : life.counts().start_seconds;
  if (const auto time = ids_.find(metrics::MetricKind::wall_time))
    trial.readings.push_back({*time, start + load});
  trial.output_digest = all.text();
  trial.detail = difference;
  known_[id] = std::move(known);
  expected_[id] = std::move(masked);
  return trial;
}

/// Gives the servers their slices, in turns.
void ServerRunner::drive(Sessions& lives, const Batch& batch, const std::stop_token& stop) const {
  const auto& cell = lives.front()->cell();
  const auto planned = groups_.count(lives.front()->id()).value_or(fewest_requests);
  const service::ScopedAffinity pinned(cell.driver_core);
  const AcceptedBodies none;
  const auto each = [&](int pass, const auto& work) {
    std::vector<CellId> up;
    for (const auto& life : lives)
      if (life->is_up() && life->trial().outcome == Outcome::ok) up.push_back(life->id());
    for (const auto id : schedule::order_of_round(design_.rules.seed, pass, up)) {
      if (stop.stop_requested()) return;
      const auto life = std::ranges::find(lives, id, [](const auto& l) { return l->id(); });
      const auto known = known_.find(id);
      work(**life, known == known_.end() ? none : known->second);
    }
  };
  double slowest = 0;
  each(number_of(batch.round, 0), [&](ServerSession& life, const AcceptedBodies&) {
    const double rate = life.warm_up(cell.warmup, stop);
    slowest = slowest == 0 ? rate : std::min(slowest, rate);
  });
  if (cell.arrivals) {
    const auto due = service::arrival_times(planned, *cell.arrivals, cell.spacing == Spacing::random,
                                            design_.rules.seed + static_cast<std::uint64_t>(batch.round));
    each(number_of(batch.round, 1),
         [&](ServerSession& life, const AcceptedBodies& known) { life.open_loop(due, known, stop); });
    return;
  }
  constexpr std::size_t for_each_client = 16;
  const auto least = for_each_client * cell.clients;
  const auto wanted = static_cast<std::size_t>(std::llround(cell.slice * slowest));
  const auto size = cell.slice > 0 ? std::clamp(wanted, std::min(least, planned), planned) : planned;
  std::size_t pass = 1;
  for (std::size_t first = 0; first < planned && !stop.stop_requested(); first += size, ++pass) {
    // What would be left for a short last slice goes with this one.
    const auto count = planned - first < 2 * size ? planned - first : size;
    each(number_of(batch.round, pass), [&](ServerSession& life, const AcceptedBodies& known) {
      life.run_slice(first, count, known, stop);
    });
    if (count > size) break;
  }
}

std::vector<Trial> ServerRunner::run(const Batch& batch, const std::stop_token& stop) {
  Sessions lives;
  for (const auto id : batch.cells) lives.push_back(session_for(id, batch, stop));
  drive(lives, batch, stop);
  std::vector<const LoadTotals*> up;
  for (const auto& life : lives) {
    const auto& cell = life->cell();
    for (const auto& [what, body] : life->unseen()) {
      const auto baseline = std::ranges::find(design_.comparisons, life->id(), &Comparison::candidate);
      const auto compared =
          expected_.find(baseline == design_.comparisons.end() ? life->id() : baseline->baseline);
      std::optional<std::string> expected;
      if (cell.process.planned.check.equal == "replies" && compared != expected_.end())
        expected = compared->second.at(what.first).text();
      if (const auto wrong = check::check_body(cell.process.planned.check,
                                               asked_of((*cell.requests)[what.first]), body, expected))
        life->fail(Outcome::wrong, "its reply changed in round " + std::to_string(batch.round) + ": " +
                                       name_of(*cell.requests, what.first) + ": " + *wrong);
      else if (const auto known = known_.find(life->id()); known != known_.end())
        known->second[what.first].insert(what.second);
    }
    if (keeps(life->id()) && life->is_up() && life->trial().outcome == Outcome::ok)
      life->end_trial(stop);
    else
      life->end(stop);
    if (life->trial().outcome == Outcome::ok) up.push_back(&life->counts());
  }
  const auto rates = polished_rates(up);
  std::vector<Trial> trials;
  std::size_t reported = 0;
  for (std::size_t i = 0; i < lives.size(); ++i) {
    auto& life = *lives[i];
    auto& trial = life.trial();
    if (trial.outcome == Outcome::ok) {
      const auto rate = rates[reported++];
      add_server_metrics(life.counts(), life.cell().clients > 0 ? rate : std::nullopt, ids_, trial);
    }
    trial.round = batch.round;
    trial.position = batch.position + static_cast<int>(i);
    if (const auto& code = life.sampled(); sampling_ && code && trial.outcome == Outcome::ok)
      sampling_->take(trial, life.counts().cpu, static_cast<double>(trial.calls), *code);
    trials.push_back(std::move(trial));
    if (life.is_up()) kept_[life.id()] = std::move(lives[i]);
  }
  return trials;
}

/// A server that was kept up from the last round, or else a new one.
std::unique_ptr<ServerSession> ServerRunner::session_for(CellId id, const Batch& batch,
                                                         const std::stop_token& stop) {
  const auto role = batch.role;
  if (const auto kept = kept_.find(id); kept != kept_.end()) {
    auto life = std::move(kept->second);
    kept_.erase(kept);
    life->start_trial(role);
    return life;
  }
  auto life = std::make_unique<ServerSession>(id, cells_.at(id), launcher_, role);
  if (sampling_ && role == Role::measured)
    life->sample_code(engine::draw_sampling(*sampling_, design_.rules.seed, batch));
  life->start(cells_.at(id).connection_count(), stop);
  return life;
}

std::vector<std::string> ServerRunner::decisions() const {
  std::vector<std::string> all;
  for (const auto& [workload, text] : groups_.decisions())
    all.push_back("workload " + design_.workloads[workload].name + ": " + text);
  return all;
}

std::vector<CheckWarning> ServerRunner::check_warnings() const {
  std::vector<CheckWarning> doubts;
  for (const auto workload : design_.workloads.ids()) {
    const auto cell = std::ranges::find_if(
        cells_, [&](const auto& entry) { return design_.cells[entry.first].workload == workload; });
    if (cell == cells_.end()) continue;
    const auto& check = cell->second.process.planned.check;
    const bool any_match =
        std::ranges::any_of(*cell->second.requests, [](const auto& r) { return !r.match.empty(); });
    if (check.equal.empty() && check.match.empty() && !any_match)
      doubts.push_back({workload, "nothing checks what it replies but the status"});
  }
  return doubts;
}

}  // namespace assay::runners
