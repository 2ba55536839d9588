// What Assay adds to running a program: the measured wall time of /bin/true, and the whole path of a trial
// with its ledger, beside a bare vfork and wait4, alternating in one run.

#include <fmt/format.h>
#include <sys/resource.h>
#include <sys/wait.h>
#include <unistd.h>

#include <chrono>
#include <filesystem>
#include <vector>

#include "assay/ledger/ledger.hpp"
#include "assay/measure/process.hpp"
#include "assay/metrics/catalogue.hpp"
#include "assay/stats/location.hpp"

namespace {

using namespace assay;
using namespace assay::model;
using Clock = std::chrono::steady_clock;

double seconds_since(Clock::time_point start) {
  return std::chrono::duration<double>(Clock::now() - start).count();
}

double bare() {
  static char name[] = "true";
  char* const arguments[] = {name, nullptr};
  const auto start = Clock::now();
  const pid_t pid = vfork();
  if (pid == 0) {
    execv("/bin/true", arguments);
    _exit(127);
  }
  int status = 0;
  wait4(pid, &status, 0, nullptr);
  return seconds_since(start);
}

double cpu_of(int whom) {
  rusage usage{};
  getrusage(whom, &usage);
  const auto seconds = [](const timeval& t) {
    return static_cast<double>(t.tv_sec) + static_cast<double>(t.tv_usec) * 1e-6;
  };
  return seconds(usage.ru_utime) + seconds(usage.ru_stime);
}

/// CPU time of this process and the launcher, per second of a program that sleeps.
double idle_share() {
  constexpr double seconds = 5;
  const measure::Command sleep{.program = "/bin/sleep", .arguments = {"sleep", "5"}};
  const auto run_once = [&](const measure::Command& command) {
    const double before = cpu_of(RUSAGE_SELF) + cpu_of(RUSAGE_CHILDREN);
    double own = 0;
    {
      measure::Launcher launcher;
      const auto result = launcher.run(command);
      own = result.user + result.system;
    }
    return cpu_of(RUSAGE_SELF) + cpu_of(RUSAGE_CHILDREN) - before - own;
  };
  // What starting and ending take is the same for a program that ends at once.
  const double at_once = run_once({.program = "/bin/sleep", .arguments = {"sleep", "0"}});
  return (run_once(sleep) - at_once) / seconds;
}

}  // namespace

int main() {
  constexpr int trials = 1000;
  const auto folder = std::filesystem::temp_directory_path() / fmt::format("assay-bench-{}", getpid());
  {
    ledger::Ledger ledger((folder / "ledger.db").string());
    Record record;
    record.design.uid = "bench";
    record.design.candidates = {{.name = "true"}};
    record.design.workloads = {{"run", {}}};
    record.design.cells.add({});
    record.log.sessions.add({});
    for (const auto& metric : metrics::process_metrics()) record.design.metrics.add(metric);
    const auto campaign = ledger.begin(record);
    measure::Launcher launcher;
    const measure::Command command{.program = "/bin/true", .arguments = {"true"}};
    std::vector<double> bare_times, measured, ran, whole;
    for (int i = 0; i < trials; ++i) {
      bare_times.push_back(bare());
      const auto start = Clock::now();
      const auto result = launcher.run(command);
      ran.push_back(seconds_since(start));
      Trial trial{.role = Role::pilot, .output_digest = result.out->digest()};
      for (std::int64_t m = 0; m < 12; ++m) trial.readings.push_back({MetricId{m}, result.wall});
      ledger.add_trial(campaign, trial);
      whole.push_back(seconds_since(start));
      measured.push_back(result.wall);
    }
    const double base = stats::median(bare_times);
    fmt::print("bare vfork and wait4 of /bin/true    {:7.1f} µs (median of {})\n", base * 1e6, trials);
    fmt::print("wall time as Assay measures it       {:7.1f} µs  {:5.3f} of bare\n",
               stats::median(measured) * 1e6, stats::median(measured) / base);
    fmt::print("run and its output taken              {:7.1f} µs  {:5.3f} of bare\n",
               stats::median(ran) * 1e6, stats::median(ran) / base);
    fmt::print("whole trial, output and ledger too   {:7.1f} µs  {:5.3f} of bare\n",
               stats::median(whole) * 1e6, stats::median(whole) / base);
  }
  fmt::print("used by Assay while a trial runs       {:8.4f} % of a core\n", 100 * idle_share());
  std::filesystem::remove_all(folder);
}
