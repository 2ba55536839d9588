#include "assay/places/inlined.hpp"

#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <algorithm>
#include <set>

#include "assay/places/sample_collector.hpp"
#include "support/tool.hpp"

namespace assay::places {
namespace {

/// `haul` calls `moor`, which is a function of its own or inside of it.
std::string built(const test::Scratch& scratch, const std::string& name, bool inlined,
                  const std::vector<std::string>& flags) {
  const std::string how = inlined ? "__attribute__((always_inline)) inline" : "__attribute__((noinline))";
  const auto file =
      scratch.file(name + ".cpp", "namespace towpath {\nstatic " + how +
                                      " int moor(int x) { return x * 3 + x / 7; }\n"
                                      "__attribute__((noinline)) int haul(int x) { return moor(x) ^ 5; }\n"
                                      "}\nint main(int n, char**) { return towpath::haul(n); }\n");
  std::vector<std::string> command = {"/usr/bin/g++", "-O2", "-o", scratch.path(name), file};
  command.insert(command.end(), flags.begin(), flags.end());
  EXPECT_EQ(test::run(scratch, command).status, 0);
  return scratch.path(name);
}

const Function& named(const CodeFile& file, const std::string& name) {
  return *std::ranges::find_if(file.functions(),
                               [&](const Function& of) { return source_name(of.symbol) == name; });
}

TEST(InlinedFunctions, AreFoundWithTheFunctionThatHoldsThem) {
  const test::Scratch scratch;
  const auto path = built(scratch, "a", true, {"-g"});
  const CodeFile file(path);
  InlinedFunctions inlined(path);
  ASSERT_TRUE(inlined.any());
  const auto& haul = named(file, "towpath::haul(int)");
  bool found = false;
  for (auto at = haul.address; at < haul.address + haul.bytes; ++at) {
    const auto& names = inlined.at(at);
    ASSERT_FALSE(names.empty());
    EXPECT_EQ(names.back(), "towpath::haul(int)");
    found = found || (names.size() == 2 && names.front() == "moor");
  }
  EXPECT_TRUE(found);
  EXPECT_TRUE(inlined.at(0).empty());
}

TEST(InlinedFunctions, WithoutDebugInformationNothingIsKnown) {
  const test::Scratch scratch;
  InlinedFunctions inlined(built(scratch, "a", true, {}));
  EXPECT_FALSE(inlined.any());
  EXPECT_TRUE(inlined.at(4096).empty());
  EXPECT_FALSE(InlinedFunctions(scratch.file("text", "#!/bin/sh\n")).any());
}

/// What a trial's samples were, one in each byte of haul and moor.
measure::CodeSamples samples_of(const std::string& path) {
  const CodeFile file(path);
  measure::CodeSamples code{.places = {}, .period = 1e-3};
  for (std::uint64_t offset = 0; offset < 0x4000; ++offset)
    if (const auto* function = file.at_offset(offset);
        function != nullptr && function->symbol.find("towpath") != std::string::npos)
      code.places.push_back({{.file = path, .build_id = {}, .offset = offset, .in_program = true}, {}, 1});
  code.taken = code.places.size();
  return code;
}

std::set<std::string> names_in(const CodeSampleLog& log, CellId cell) {
  std::set<std::string> names;
  for (const auto& trial : log.trials)
    if (trial.cell == cell)
      for (const auto& count : trial.counts) names.insert(log.code[count.code].name);
  return names;
}

TEST(SampleCollector, AFunctionOfItsOwnInOneBuildCountsWhereItIsInsideOfOthers) {
  const test::Scratch scratch;
  Design design;
  design.candidates = {{.name = "a"}, {.name = "b", .baseline = CandidateId{0}}};
  design.workloads = {{.name = "orders"}};
  design.cells = {{CandidateId{0}, WorkloadId{0}}, {CandidateId{1}, WorkloadId{0}}};
  design.comparisons = {{CellId{0}, CellId{1}}};
  const auto log_of = [&](const std::vector<std::string>& flags) {
    SampleCollector collector;
    collector.take({.cell = CellId{0}, .round = 1}, 1, 0, samples_of(built(scratch, "own", false, flags)));
    collector.take({.cell = CellId{1}, .round = 1}, 1, 0, samples_of(built(scratch, "inside", true, flags)));
    return collector.result(design);
  };
  const auto with = log_of({"-g"});
  EXPECT_THAT(names_in(with, CellId{0}), testing::Contains(testing::HasSubstr("moor(int)")));
  EXPECT_THAT(names_in(with, CellId{1}), testing::Contains(testing::HasSubstr("moor(int)")));
  EXPECT_EQ(std::ranges::count(with.matches, CodeLikeness::alone, &CodeMatch::likeness), 0);
  const auto without = log_of({});
  EXPECT_THAT(names_in(without, CellId{1}), testing::Not(testing::Contains(testing::HasSubstr("moor(int)"))));
#ifdef __x86_64__
  EXPECT_EQ(std::ranges::count(without.matches, CodeLikeness::alone, &CodeMatch::likeness), 1);
  EXPECT_EQ(std::ranges::count(without.matches, true, &CodeMatch::calls_alone), 1);
#endif
}

}  // namespace
}  // namespace assay::places
