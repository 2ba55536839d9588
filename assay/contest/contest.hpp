#pragma once

#include <chrono>
#include <functional>
#include <initializer_list>
#include <memory>
#include <optional>
#include <string>
#include <utility>
#include <vector>

#include "assay/contest/callable.hpp"
#include "assay/engine/observer.hpp"
#include "assay/model/plan.hpp"
#include "assay/render/results.hpp"

namespace assay::contest {

/// How a contest is run, apart from what is compared. Every field has a sensible default.
struct Options {
  /// Judged rounds for each setting; a finding that is decided sooner is not measured further.
  int rounds_min = 8, rounds_max = 60;
  double budget = 2;           ///< seconds of slices for each setting; the rounds share it
  double margin = 0.01;        ///< smallest relative change that matters
  double slice = 20e-6;        ///< seconds of one slice; one call at least
  bool twin = true;            ///< run the baseline's copies along, in every fourth round
  double max_call_time = 0.2;  ///< seconds a call may take; see Contest::max_call_time
  std::vector<std::string> watch = {"time per call"};
  std::vector<std::pair<std::string, std::string>> only;  ///< factor=level pairs that are run
  std::optional<std::uint64_t> seed;                      ///< of the order of slices; empty: drawn
  /// Where it is not 0, all rounds are run, and in each the functions are sampled once in so many seconds of CPU time, so
  /// that the results say which functions inside of them a change is in. Not where they run on threads of their own.
  double sampling_period = 0;
  std::string confirms_uid;  ///< of the contest whose findings the sampled rounds look into
  /// How it is measured. A contest that is a workload of a plan does not ask for the machine's lock.
  engine::RunOptions run;
};

/// Compares functions inside this process: in slices of a few microseconds, alternating in random order
/// through one call site, so that whatever disturbs the machine disturbs all of them alike.
///
///   assay::Contest contest("shortest route");
///   contest.factor("locks", {100, 400, 1600, 6400});
///   contest.input([](const assay::Setting& s) { return make_network(s.integer("locks")); });
///   contest.baseline("list", [](const Network& net) { return route_by_list(net); });
///   contest.candidate("heap", [](const Network& net) { return route_by_heap(net); });
///   return assay::run_main(contest, argc, argv);
///
/// **Functions** are lambdas, function pointers or function objects with one signature (no templates, no
/// default arguments), and can be copied. They take the input by const reference, or nothing. One that takes
/// it by value or by a reference through which it can be changed consumes it, and gets a fresh copy for each
/// call; the copies are made before the clock is read. What a function keeps inside itself between calls is
/// its own. Every round copies each function again, in random order and with random gaps in the heap, so that
/// where its memory lies differs by round; it also times the first call of a copy that was never called.
///
/// **Answers** are compared with the baseline's before timing and at the end: by `==` by default.
/// A function that throws, or answers wrongly, is left out with its reason, and the others go on.
///
/// Metrics: `time per call` (steady state: the interquartile mean of a round's slices), `mean time per call`
/// (of all slices, so that rare slow calls count), `first call`, `throughput` where work is declared, and
/// `allocations`, `allocated bytes`, `peak allocated` for each call when assay::allocations is linked.
///
/// Methods return the contest, so that they can be chained. Not to be used from several threads.
class Contest {
 public:
  explicit Contest(std::string title);
  ~Contest();
  Contest(Contest&&) noexcept;
  Contest& operator=(Contest&&) noexcept;

  /// Varies a quantity. Whole numbers are sizes: the growth of cost over them is reported. Throws Error for
  /// no levels, levels twice, a name twice.
  Contest& factor(const std::string& factor, std::initializer_list<std::int64_t> sizes);
  Contest& factor(const std::string& factor, std::vector<Level> levels,
                  Factor::Role role = Factor::Role::option);
  /// Runs as many threads at once, each with a copy of the function; the factor is called `threads`.
  Contest& threads(std::initializer_list<std::int64_t> counts);

  /// Makes the input of a setting: make(const Setting&) or make(). Not timed, called once a setting (and for
  /// each fresh input where its type can't be copied).
  template <class Make>
  Contest& input(Make make) {
    if constexpr (std::is_invocable_v<Make, const Setting&>) {
      using T = std::decay_t<std::invoke_result_t<Make, const Setting&>>;
      return set_input([make](const Setting& setting) -> std::unique_ptr<Input> {
        return std::make_unique<TypedInput<T>>([make, setting] { return make(setting); });
      });
    } else {
      using T = std::decay_t<std::invoke_result_t<Make>>;
      return set_input([make](const Setting&) -> std::unique_ptr<Input> {
        return std::make_unique<TypedInput<T>>([make] { return make(); });
      });
    }
  }

  /// The function that others are compared with. Throws Error for a second one.
  template <class F>
  Contest& baseline(const std::string& name, F function) {
    return add(name, std::make_unique<TypedCallable<std::decay_t<F>>>(std::move(function)), true);
  }
  /// A function that is compared with it. Throws Error for a name twice.
  template <class F>
  Contest& candidate(const std::string& name, F function) {
    return add(name, std::make_unique<TypedCallable<std::decay_t<F>>>(std::move(function)), false);
  }

  /// Answers agree when they differ by at most this share of the larger one: for numbers, and for ranges of
  /// numbers of one length.
  Contest& answer_tolerance(double relative);
  /// Answers agree when `same(baseline's, candidate's)` says so.
  template <class T, class Same>
  Contest& answers_equal(Same same) {
    return set_agreement(typeid(T), [same](const void* a, const void* b) {
      return static_cast<bool>(same(*static_cast<const T*>(a), *static_cast<const T*>(b)));
    });
  }
  /// Answers are not compared.
  Contest& skip_answer_check();

  /// What one call does at a setting, like 4096 bytes: gives throughput.
  Contest& work(std::function<double(const Setting&)> amount, std::string unit);
  Contest& work(double amount, std::string unit);

  /// A demand on every candidate's own value, judged separately: require("time per call", "< 2 ms"). Throws
  /// Error for text that is not a limit.
  Contest& require(const std::string& metric, const std::string& limit);

  /// A candidate that takes longer than this for one call leaves that size and all larger ones, and it is
  /// reported; one that takes less than ten times as long is called once more first. Seconds; 0.2 by
  /// default.
  Contest& max_call_time(double seconds);

  /// Time for measuring all rounds; 2 s by default.
  Contest& budget(std::chrono::duration<double> time);

  /// Defaults of run() and run_main() for this contest.
  Options& options();
  const Options& options() const;

  /// Runs the contest with its own options, or others, and judges. It waits its turn, and goes on with one
  /// that was cut off, as campaigns of programs do. Throws Error for a contest that can't be run: no
  /// baseline, no candidate, functions that take another input than is made, answers of a type without `==`.
  render::Results run() const;
  render::Results run(const Options& options) const;

  const std::string& title() const;

  struct ComparisonSpec;

 private:
  Contest& add(const std::string& name, std::unique_ptr<Callable> callable, bool is_baseline);
  Contest& set_input(std::function<std::unique_ptr<Input>(const Setting&)> make);
  Contest& set_agreement(std::type_index type, std::function<bool(const void*, const void*)> same);

  std::unique_ptr<ComparisonSpec> parts_;
};

}  // namespace assay::contest

namespace assay {
using contest::Contest;
using ContestOptions = contest::Options;
}  // namespace assay
