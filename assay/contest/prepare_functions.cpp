#include "assay/contest/prepare_functions.hpp"

#include <algorithm>
#include <cmath>
#include <optional>
#include <utility>

#include "assay/contest/threads.hpp"
#include "assay/engine/open_campaign.hpp"
#include "assay/measure/file_io.hpp"
#include "assay/metrics/catalogue.hpp"
#include "assay/model/error.hpp"
#include "assay/model/log.hpp"
#include "assay/model/text.hpp"

namespace assay::contest {

namespace {

using metrics::MetricKind;
using metrics::Needs;

class FunctionPreparer {
 public:
  FunctionPreparer(const Contest::ComparisonSpec& parts, const Options& options)
      : parts_(parts), options_(options) {}

  PreparedFunctions run() {
    look_over();
    auto& design = laid_.record.design;
    design = {.uid = engine::make_uid(),
              .title = parts_.title,
              .kind = options_.sampling_period > 0 ? CampaignKind::where : CampaignKind::contest,
              .started = unix_milliseconds(),
              .repeat_command = options_.run.repeat_command,
              .confirms_uid = options_.confirms_uid,
              .rules = {.margin = options_.margin,
                        .rounds_min = options_.rounds_min,
                        .rounds_max = options_.rounds_max,
                        .seed = options_.seed.value_or(engine::make_seed()),
                        .budget_ms = std::llround(options_.budget * 1000)}};
    if (options_.sampling_period > 0) design.rules.way = Way::slices;
    design.factors = parts_.factors;
    design.workloads = {{.name = parts_.title}};
    for (std::size_t i = 0; i < parts_.candidates.size(); ++i)
      add_candidate(parts_.candidates[i].name, {.candidate = i});
    if (options_.twin) {
      const auto& baseline = parts_.candidates.front().name;
      add_candidate(baseline + ", once more", {.candidate = 0, .copy = 0, .twin = true});
      add_candidate(baseline + ", placed anew", {.candidate = 0, .copy = 1, .twin = true});
    }
    for (const auto& setting : settings_) {
      const auto baseline = design.cells.next_id();
      for (const auto candidate : design.candidates.ids()) {
        const auto cell = design.cells.add({.candidate = candidate, .setting = setting});
        if (cell != baseline) design.comparisons.push_back({baseline, cell});
      }
    }
    lay_out_metrics();
    design.plan_digest = measure::digest_of(definition());
    return std::move(laid_);
  }

 private:
  [[noreturn]] void refuse(const std::string& problem, const std::string& remedy) const {
    throw Error(problem, "contest \"" + parts_.title + "\"", remedy);
  }

  /// Everything that can be found wrong before anything is called.
  void look_over() {
    if (!parts_.has_baseline) refuse("there is no baseline", "add one with baseline(\"name\", function)");
    if (parts_.candidates.size() < 2 && !options_.twin)
      refuse("nothing to compare: there is only the baseline", "add a candidate(\"name\", function)");
    if (options_.rounds_max < fewest_rounds || options_.rounds_min > options_.rounds_max)
      refuse(std::to_string(options_.rounds_max) + " rounds can't decide anything",
             "the smallest number that can is " + std::to_string(fewest_rounds) +
                 ", and the least must not be above the most");
    if (!(options_.budget > 0) || !(options_.slice > 0) || !(options_.margin > 0) ||
        !(options_.max_call_time > 0))
      refuse("budget, slice, margin and allowance must be above zero", "leave them at their defaults");
    settings_ = settings_of(parts_.factors);
    for (const auto& [factor, level] : options_.only) narrow(factor, level);
    const auto input =
        parts_.make_input ? std::optional(parts_.make_input(settings_.front())->type()) : std::nullopt;
    for (const auto& [name, callable] : parts_.candidates) {
      if (callable->input_type() == typeid(Nothing)) continue;
      if (!input) refuse("\"" + name + "\" takes an input, and none is made", "add one with input(...)");
      if (callable->input_type() != *input)
        refuse("\"" + name + "\" takes another input than input(...) makes",
               "give it the very type that is made");
      const bool threads = std::ranges::count(parts_.factors, Factor::Role::threads, &Factor::role) > 0;
      if (threads && callable->consumes())
        refuse("\"" + name + "\" consumes its input, which threads share",
               "let it take the input by const reference");
    }
  }

  void narrow(const std::string& factor, const std::string& level) {
    const auto known = std::ranges::find(parts_.factors, factor, &Factor::name);
    if (known == parts_.factors.end())
      refuse("there is no factor \"" + factor + "\" to choose from", "write --only FACTOR=LEVEL");
    std::erase_if(settings_, [&](const Setting& s) { return to_string(s.levels.at(factor)) != level; });
    if (settings_.empty()) refuse(level + " is not a level of " + factor, "choose one that it has");
  }

  void add_candidate(const std::string& name, const FunctionVariant& variant) {
    static const auto program = measure::digest_of_file("/proc/self/exe");
    Candidate candidate{.name = name, .distinguishing_arguments = {name}};
    if (!laid_.variants.empty()) candidate.baseline = CandidateId{0};
    if (variant.twin) candidate.twin_of = CandidateId{0};
    candidate.from.exe = parts_.title;
    candidate.from.exe_digest = program;
    laid_.record.design.candidates.add(std::move(candidate));
    laid_.variants.add(variant);
  }

  /// What can't be measured here is there too, with the reason.
  void lay_out_metrics() {
    const ThreadCounters counters;
    const bool counted = start_counting_allocations();
    if (counted) stop_counting_allocations();
    const bool has_threads = std::ranges::count(parts_.factors, Factor::Role::threads, &Factor::role) > 0;
    auto& table = laid_.record.design.metrics;
    // Times first: a contest is about them.
    for (const bool of_calls : {true, false})
      for (const auto& row : metrics::catalogue()) {
        if (!row.of_functions || (row.needs == Needs::calls) != of_calls) continue;
        if (row.needs == Needs::work && !parts_.amount && !has_threads) continue;
        auto metric = row.metric;
        if (row.needs == Needs::work) metric.unit = (parts_.unit.empty() ? "calls" : parts_.unit) + "/s";
        if (row.needs == Needs::allocator && !counted)
          metric.request.missing = "link assay::allocations to have them counted";
        if (row.needs == Needs::counters && !counters.offers(measure::Counter::instructions))
          metric.request.missing =
              "the kernel offers no such hardware counter here (" + counters.problem() + ")";
        table.add(std::move(metric));
      }
    for (const auto& name : options_.watch) demand_of(name).watched = true;
    for (const auto& [name, requirement] : parts_.requirements) demand_of(name).require = requirement;
  }

  MetricRequest& demand_of(const std::string& name) {
    auto& table = laid_.record.design.metrics;
    const auto id = table.find_by_name(name);
    if (!id) {
      std::vector<std::string> known;
      for (const auto& metric : table) known.push_back(metric.name);
      refuse("a contest has no metric \"" + name + "\"", did_you_mean(name, known));
    }
    auto& demand = table[*id].request;
    if (!demand.missing.empty())
      refuse("\"" + name + "\" can't be had here: " + demand.missing, "choose another metric");
    return demand;
  }

  /// Everything that makes two runs parts of one campaign.
  std::string definition() const {
    std::string text = parts_.title;
    const auto add = [&](const std::string& part) { (text += part) += '\n'; };
    for (const auto& candidate : parts_.candidates) add(candidate.name);
    for (const auto& setting : settings_) add(setting.text());
    for (const auto& name : options_.watch) add(name);
    for (const double number : {options_.budget, options_.margin, options_.slice, options_.max_call_time})
      add(to_string(Level{number}));
    add(std::to_string(options_.rounds_min) + ".." + std::to_string(options_.rounds_max));
    add(options_.twin ? "twin" : "no twin");
    return text;
  }

  const Contest::ComparisonSpec& parts_;
  const Options& options_;
  std::vector<Setting> settings_;
  PreparedFunctions laid_;
};

}  // namespace

PreparedFunctions prepare_functions(const Contest::ComparisonSpec& parts, const Options& options) {
  return FunctionPreparer(parts, options).run();
}

std::optional<std::string> SizeLimit::record(const Cell& cell, double took) {
  if (took <= allowance_) return {};
  slow_.push_back({cell.candidate, cell.setting, took});
  return text_of(slow_.back());
}

std::optional<std::string> SizeLimit::skip_reason(const Cell& cell) const {
  const auto found = std::ranges::find_if(slow_, [&](const Seen& seen) {
    return seen.candidate == cell.candidate && but_sizes(seen.at) == but_sizes(cell.setting) &&
           at_least_as_large(cell.setting, seen.at);
  });
  return found == slow_.end() ? std::nullopt : std::optional(text_of(*found));
}

std::string SizeLimit::text_of(const Seen& seen) const {
  const auto where = seen.at.text();
  return "a call took " + to_string(Level{std::round(seen.took * 1e4) / 1e4}) + " s" +
         (where.empty() ? "" : " at " + where) + ", " + to_string(Level{allowance_}) +
         " s are allowed; it is left out there and at all larger sizes";
}

/// The levels of everything but sizes.
std::string SizeLimit::but_sizes(Setting setting) const {
  for (const auto& factor : factors_)
    if (factor.role == Factor::Role::size) setting.levels.erase(factor.name);
  return setting.text();
}

/// Whether each size of `larger` is at least that of `smaller`.
bool SizeLimit::at_least_as_large(const Setting& larger, const Setting& smaller) const {
  return std::ranges::all_of(factors_, [&](const Factor& factor) {
    return factor.role != Factor::Role::size ||
           larger.levels.at(factor.name) >= smaller.levels.at(factor.name);
  });
}

}  // namespace assay::contest
