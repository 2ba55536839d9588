#include "assay/render/conditions.hpp"

#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <nlohmann/json.hpp>

namespace assay::inline v1::render {
namespace {

using namespace report;

using testing::HasSubstr;
using testing::Not;

Conditions quiet() {
  return {.facts = {{"cores", "2"}},
          .launch_cost = 4e-4,
          .clock_resolution = 3e-8,
          .clock_overhead = 4e-8,
          .steadiness = {{.seconds = 2e-5, .turns = 0.03},
                         {.seconds = 0.02,
                          .process = true,
                          .turns = 0.01,
                          .abreast = 0.006,
                          .settles_turns = 0.007,
                          .settles_abreast = 0.004},
                         {.seconds = 0.2,
                          .process = true,
                          .turns = 0.006,
                          .abreast = 0.004,
                          .settles_turns = 0.005,
                          .settles_abreast = 0.003}}};
}

std::string said(const Conditions& conditions) {
  std::string all;
  for (const auto& sentence : advice(conditions)) all += sentence + "\n";
  return all;
}

TEST(Advice, NamesTheSmallestChangeAMinuteSettles) {
  EXPECT_THAT(said(quiet()), HasSubstr("run 20 ms settles changes from 0.70 % on, abreast from 0.40 % on."));
  EXPECT_EQ(advice(quiet()).size(), 2U) << "a quiet machine needs no hints";
}

TEST(Advice, EachHintBeginsJustAboveItsThreshold) {
  auto machine = quiet();
  machine.stolen = 0.05;
  machine.others = 0.1;
  machine.on_battery = false;
  machine.facts.push_back({"frequency governor", "performance"});
  machine.steadiness[2].abreast = 0.003;
  machine.steadiness[1].abreast = 0.005;
  EXPECT_EQ(advice(machine).size(), 2U) << said(machine);
  machine.stolen = 0.051;
  EXPECT_THAT(said(machine), HasSubstr("The host takes 5.1 % of the CPU time"));
  machine.others = 0.11;
  EXPECT_THAT(said(machine), HasSubstr("Other programs use 11 % of the CPU time"));
  machine.on_battery = true;
  EXPECT_THAT(said(machine), HasSubstr("plug it in"));
  machine.facts.back().value = "powersave";
  EXPECT_THAT(said(machine), HasSubstr("governor is powersave"));
  machine.steadiness[2].abreast = 0.0029;
  EXPECT_THAT(said(machine), HasSubstr("--abreast helps: at 200 ms its spread is 2.1 times smaller"));
  machine.steadiness[1].turns = 0.013;
  EXPECT_THAT(said(machine), HasSubstr("Longer runs help"));
}

TEST(ConditionsText, ShowsFactsSpreadAndWhatIsMissing) {
  auto machine = quiet();
  machine.missing = {{"hardware counters", "the kernel offers none"}};
  const auto text = to_text(machine);
  EXPECT_THAT(text, HasSubstr("no hardware counters"));
  EXPECT_THAT(text, HasSubstr("starting a program"));
  EXPECT_THAT(text, HasSubstr("20 µs   loop       3.0 %"));
  machine.steadiness.clear();
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
}  // namespace assay::inline v1::render
