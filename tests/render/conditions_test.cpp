#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <nlohmann/json.hpp>

#include "assay/render/documents.hpp"

namespace assay::render {
namespace {

using namespace report;

using testing::HasSubstr;
using testing::Not;

Conditions quiet() {
  return {.facts = {{"cores", "2"}},
          .launch_cost = 4e-4,
          .clock_resolution = 3e-8,
          .clock_overhead = 4e-8,
          .noise = {{.seconds = 2e-5, .in_turns = 0.03},
                    {.seconds = 0.02,
                     .process = true,
                     .in_turns = 0.01,
                     .abreast = 0.006,
                     .rounds_in_turns = 0.007,
                     .rounds_abreast = 0.004},
                    {.seconds = 0.2,
                     .process = true,
                     .in_turns = 0.006,
                     .abreast = 0.004,
                     .rounds_in_turns = 0.005,
                     .rounds_abreast = 0.003}}};
}

std::string said(const Conditions& conditions) {
  std::string all;
  for (const auto& sentence : advice(conditions)) all += sentence + "\n";
  return all;
}

TEST(Advice, NamesTheSmallestChangeAMinuteDecides) {
  EXPECT_THAT(said(quiet()), HasSubstr("run 20 ms tells changes from 0.70 % on, abreast from 0.40 % on."));
  EXPECT_EQ(advice(quiet()).size(), 2U) << "a quiet machine needs no hints";
}

TEST(Advice, EachHintBeginsJustAboveItsThreshold) {
  auto machine = quiet();
  machine.steal = 0.05;
  machine.other_load = 0.1;
  machine.on_battery = false;
  machine.facts.push_back({"frequency governor", "performance"});
  machine.noise[2].abreast = 0.003;
  machine.noise[1].abreast = 0.005;
  EXPECT_EQ(advice(machine).size(), 2U) << said(machine);
  machine.steal = 0.051;
  EXPECT_THAT(said(machine), HasSubstr("The host takes 5.1 % of the CPU time"));
  machine.other_load = 0.11;
  EXPECT_THAT(said(machine), HasSubstr("Other programs use 11 % of the CPU time"));
  machine.on_battery = true;
  EXPECT_THAT(said(machine), HasSubstr("plug it in"));
  machine.facts.back().value = "powersave";
  EXPECT_THAT(said(machine), HasSubstr("governor is powersave"));
  machine.noise[2].abreast = 0.0029;
  EXPECT_THAT(said(machine), HasSubstr("the spread at 200 ms is 2.1 times smaller"));
  machine.noise[1].in_turns = 0.013;
  EXPECT_THAT(said(machine), HasSubstr("Longer runs help"));
}

TEST(ConditionsText, ShowsFactsSpreadAndWhatIsMissing) {
  auto machine = quiet();
  machine.unavailable = {{"hardware counters", "the kernel offers none"}};
  const auto text = to_text(machine);
  EXPECT_THAT(text, HasSubstr("no hardware counters"));
  EXPECT_THAT(text, HasSubstr("starting a program"));
  EXPECT_THAT(text, HasSubstr("20 µs   loop       3.0 %"));
  machine.noise.clear();
  EXPECT_THAT(to_text(machine), Not(HasSubstr("spread")));
}

TEST(ConditionsJson, HoldsTheSame) {
  const auto document = nlohmann::json::parse(to_json(quiet()));
  EXPECT_EQ(document["steadiness"].size(), 3U);
  EXPECT_EQ(document["steadiness"][0]["abreast"], nullptr);
  EXPECT_EQ(document["facts"]["cores"], "2");
  EXPECT_EQ(document["advice"].size(), 2U);
}

}  // namespace
}  // namespace assay::render
