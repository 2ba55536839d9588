#include "assay/contest/contest.hpp"

#include <algorithm>
#include <cmath>
#include <cstdlib>

#include "assay/contest/function_runner.hpp"
#include "assay/contest/prepare_functions.hpp"
#include "assay/engine/campaign_runner.hpp"
#include "assay/engine/open_campaign.hpp"
#include "assay/engine/stop_policy.hpp"
#include "assay/judge/judge.hpp"
#include "assay/measure/machine.hpp"
#include "assay/model/enum_names.hpp"
#include "assay/model/error.hpp"
#include "assay/model/metric.hpp"

namespace assay::contest {

namespace {

std::string shown(const Answer& answer) {
  constexpr std::size_t most = 60;
  if (answer.text.empty()) return "another value";
  return answer.text.size() > most ? answer.text.substr(0, most) + "…" : answer.text;
}

}  // namespace

std::vector<Setting> settings_of(std::vector<Factor> factors) {
  for (auto& factor : factors)
    if (factor.role == Factor::Role::size) std::ranges::sort(factor.levels);
  return all_settings(factors);
}

std::string disagreement(const Contest::ComparisonSpec& parts, const Answer& baseline, const Answer& answer) {
  if (parts.skip_answer_check || (baseline.type == typeid(void) && answer.type == typeid(void))) return {};
  if (baseline.type != answer.type)
    return "it returns a value of another type than the baseline; compare them with agree(...) on a common "
           "type, or say may_differ()";
  const auto *a = baseline.value.get(), *b = answer.value.get();
  if (parts.agreement_type) {
    if (*parts.agreement_type != answer.type)
      return "it returns a value of another type than agree(...) compares";
    return parts.same(a, b) ? ""
                            : "its answer does not agree with the baseline's: " + shown(answer) +
                                  ", expected " + shown(baseline);
  }
  if (parts.tolerance && answer.distance) {
    const double distance = answer.distance(a, b);
    if (distance <= *parts.tolerance) return {};
    return distance >= 1e300 ? "its answer is not as long as the baseline's, or not a number"
                             : "its answer differs by " + to_string(Level{distance}) +
                                   " of its size, allowed are " + to_string(Level{*parts.tolerance});
  }
  if (!answer.equal)
    return "its answers can't be compared: their type has no ==; use agree(...) or may_differ()";
  if (answer.equal(a, b)) return {};
  return "its answer is not the baseline's: " + shown(answer) + ", expected " + shown(baseline);
}

namespace {

[[noreturn]] void refuse(const std::string& title, const std::string& problem, const std::string& remedy) {
  throw Error(problem, "contest \"" + title + "\"", remedy);
}

}  // namespace

double relative_distance(double a, double b) {
  if (a == b || (std::isnan(a) && std::isnan(b))) return 0;
  const double distance = std::abs(a - b) / std::max(std::abs(a), std::abs(b));
  return std::isnan(distance) ? 1e300 : distance;
}

Contest::Contest(std::string title) : parts_(std::make_unique<ComparisonSpec>()) {
  parts_->title = std::move(title);
}
Contest::~Contest() = default;
Contest::Contest(Contest&&) noexcept = default;
Contest& Contest::operator=(Contest&&) noexcept = default;

Contest& Contest::factor(const std::string& name, std::initializer_list<std::int64_t> sizes) {
  return factor(name, std::vector<Level>(sizes.begin(), sizes.end()), Factor::Role::size);
}

Contest& Contest::factor(const std::string& name, std::vector<Level> levels, Factor::Role role) {
  const auto& title = parts_->title;
  if (levels.empty()) refuse(title, "factor \"" + name + "\" has no levels", "list at least one");
  if (std::ranges::count(parts_->factors, name, &Factor::name) > 0)
    refuse(title, "two factors are named \"" + name + "\"", "give each its own name");
  for (const auto& level : levels)
    if (std::ranges::count(levels, level) > 1)
      refuse(title, "factor \"" + name + "\" has level " + to_string(level) + " twice",
             "list each level once");
  parts_->factors.push_back({.name = name, .levels = std::move(levels), .role = role});
  return *this;
}

Contest& Contest::threads(std::initializer_list<std::int64_t> counts) {
  for (const auto count : counts)
    if (count < 1 || count > 1024)
      refuse(parts_->title, std::to_string(count) + " threads can't run", "use 1 to 1024");
  return factor("threads", std::vector<Level>(counts.begin(), counts.end()), Factor::Role::threads);
}

Contest& Contest::set_input(std::function<std::unique_ptr<Input>(const Setting&)> make) {
  parts_->make_input = std::move(make);
  return *this;
}

Contest& Contest::add(const std::string& name, std::unique_ptr<Callable> callable, bool is_baseline) {
  auto& parts = *parts_;
  if (name.empty()) refuse(parts.title, "a candidate without a name", "give it one");
  if (std::ranges::count(parts.candidates, name, &ComparisonSpec::Named::name) > 0)
    refuse(parts.title, "two candidates are named \"" + name + "\"", "give each its own name");
  if (is_baseline && parts.has_baseline) refuse(parts.title, "a second baseline", "there can be one");
  parts.has_baseline = parts.has_baseline || is_baseline;
  parts.candidates.insert(is_baseline ? parts.candidates.begin() : parts.candidates.end(),
                          ComparisonSpec::Named{name, std::move(callable)});
  return *this;
}

Contest& Contest::answer_tolerance(double relative) {
  if (!(relative >= 0)) refuse(parts_->title, "a tolerance below 0", "use 0 or more");
  parts_->tolerance = relative;
  return *this;
}

Contest& Contest::set_agreement(std::type_index type, std::function<bool(const void*, const void*)> same) {
  parts_->agreement_type = type;
  parts_->same = std::move(same);
  return *this;
}

Contest& Contest::skip_answer_check() {
  parts_->skip_answer_check = true;
  return *this;
}

Contest& Contest::work(std::function<double(const Setting&)> amount, std::string unit) {
  parts_->amount = std::move(amount);
  parts_->unit = std::move(unit);
  return *this;
}

Contest& Contest::work(double amount, std::string unit) {
  return work([amount](const Setting&) { return amount; }, std::move(unit));
}

Contest& Contest::require(const std::string& metric, const std::string& limit) {
  parts_->requirements.emplace_back(metric, parse_requirement(limit));
  return *this;
}

Contest& Contest::max_call_time(double seconds) {
  parts_->options.max_call_time = seconds;
  return *this;
}

Contest& Contest::budget(std::chrono::duration<double> time) {
  parts_->options.budget = time.count();
  return *this;
}

const std::string& Contest::title() const { return parts_->title; }
Options& Contest::options() { return parts_->options; }
const Options& Contest::options() const { return parts_->options; }
render::Results Contest::run() const { return run(parts_->options); }

render::Results Contest::run(const Options& options) const {
  engine::Observer nobody;
  auto& observer = options.run.observer == nullptr ? nobody : *options.run.observer;
  auto laid = prepare_functions(*parts_, options);
  auto session = engine::current_session();
  measure::MachineLock lock;
  try {
    const bool part_of_a_plan = std::getenv("ASSAY_SAMPLES") != nullptr;  // which has the turn itself
    if (!part_of_a_plan) lock = engine::acquire_machine(options.run, session);
  } catch (const Cancelled&) {
    Findings none{.design = laid.record.design, .state = CampaignState::interrupted, .provisional = true};
    return {std::move(laid.record), std::move(none)};
  }
  laid.record.log.sessions.add(std::move(session));
  auto recorder = engine::open_or_resume(std::move(laid.record), options.run.ledger, options.run.resume);
  if (recorder.log().state == CampaignState::ended)
    return {recorder.record(), judge::judge_record(recorder.record())};
  observer.on_start(recorder.design());
  FunctionRunner runner(*parts_, options, recorder.design(), std::move(laid.variants));
  engine::CampaignRunner life(recorder, runner, observer, options.run.stop);
  const auto policy = options.sampling_period > 0 ? engine::fixed_rounds(options.rounds_max)
                                                  : engine::until_decided(options.rounds_max, {});
  auto findings = life.run(*policy, false);
  return {recorder.record(), std::move(findings)};
}

}  // namespace assay::contest
