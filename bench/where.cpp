// How often campaigns of sampled rounds name a function: of a program beside itself, or beside one that takes more time
// in one function. Each campaign is a fresh one, abreast, as `assay where` measures programs that keep to one core.

#include "assay/where.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <cstdlib>
#include <map>
#include <string>
#include <vector>

#include "assay/compare.hpp"

namespace {

struct Seen {
  int campaigns = 0, any = 0, asked_for = 0, others = 0;
  std::map<std::string, int> named;
  std::vector<assay::TimePart> of_asked;
  double not_adding_up = 0;  // the largest difference of the parts' sum and the whole
};

void take(const assay::Where& where, const std::string& function, Seen& seen) {
  ++seen.campaigns;
  bool any = false, others = false;
  double sum = where.small.change + where.unsampled.change;
  for (const auto& part : where.functions) {
    sum += part.change;
    const bool is_asked = part.name.starts_with(function) && !function.empty();
    if (is_asked) seen.of_asked.push_back(part);
    if (!part.named) continue;
    any = true;
    ++seen.named[part.name];
    if (is_asked)
      ++seen.asked_for;
    else
      others = true;
  }
  seen.any += any || where.unsampled.named || where.small.named ? 1 : 0;
  seen.others += others ? 1 : 0;
  seen.not_adding_up = std::max(seen.not_adding_up, std::abs(sum - where.whole.change));
}

void print(const Seen& seen) {
  const auto share = [&](int count) { return 100.0 * count / std::max(1, seen.campaigns); };
  fmt::print(
      "{} campaigns: anything named in {} ({:.1f} %), others than the one asked for in {} ({:.1f} %)\n",
      seen.campaigns, seen.any, share(seen.any), seen.others, share(seen.others));
  if (!seen.of_asked.empty()) {
    double mean = 0;
    for (const auto& part : seen.of_asked) mean += part.change / static_cast<double>(seen.of_asked.size());
    const auto inside = std::ranges::count_if(
        seen.of_asked, [&](const assay::TimePart& part) { return part.low <= mean && mean <= part.high; });
    double half = 0;
    for (const auto& part : seen.of_asked)
      half += (part.high - part.low) / 2 / static_cast<double>(seen.of_asked.size());
    fmt::print(
        "the one asked for: named in {} ({:.1f} %), change {:+.3f} ms, half an interval {:.3f} ms, {} of {} "
        "intervals "
        "hold the mean of all\n",
        seen.asked_for, share(seen.asked_for), 1e3 * mean, 1e3 * half, inside, seen.of_asked.size());
  }
  fmt::print("parts add up to the whole within {:.1g} ms\n", 1e3 * seen.not_adding_up);
  for (const auto& [name, count] : seen.named) fmt::print("  {:>4} {}\n", count, name);
}

}  // namespace

int main(int argc, char** argv) {
  std::vector<std::vector<std::string>> parts(1);
  for (int i = 1; i < argc; ++i)
    if (std::string(argv[i]) == "--")
      parts.emplace_back();
    else
      parts.back().emplace_back(argv[i]);
  if (parts.size() < 2 || parts[0].size() < 3) {
    fmt::print(stderr,
               "usage: {} CAMPAIGNS ROUNDS PERIOD [FUNCTION] -- COMMAND [-- COMMAND]\n"
               "PERIOD: microseconds of CPU time between samples; FUNCTION: the one that differs\n",
               argv[0]);
    return 2;
  }
  const auto& asked = parts[0];
  const auto function = asked.size() > 3 ? asked[3] : std::string();
  Seen seen;
  for (int i = 0; i < std::atoi(asked[0].c_str()); ++i) {
    assay::Plan plan;
    plan.candidates = {{.name = "one"}, {.name = "other"}};
    plan.candidates[0].run = parts[1];
    plan.candidates[1].run = parts.back();
    plan.workloads = {{.name = "commands"}};
    plan.rounds.mode = assay::model::Way::abreast;
    plan.rounds.twin = false;
    const auto found = assay::run_plan(
        plan, {},
        {.fixed_rounds = std::atoi(asked[1].c_str()), .sampling_period = std::atof(asked[2].c_str()) * 1e-6});
    for (const auto& where : found.where) take(where, function, seen);
  }
  print(seen);
}
