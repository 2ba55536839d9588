#include "assay/places/sample_collector.hpp"

#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <map>

#include "support/tool.hpp"

namespace assay::places {
namespace {

using measure::CodePlace;
using measure::SampledPlace;

/// A library or a program with one function of this name.
CodePlace built(const test::Scratch& scratch, const std::string& file, const std::string& function,
                int constant, bool is_program) {
  const auto source =
      scratch.file(file + ".c", "int " + function + "(int x) { return x * " + std::to_string(constant) +
                                    " + x / 7; }\n" + (is_program ? "int main(void) { return 0; }\n" : ""));
  const auto path = scratch.path(file);
  EXPECT_EQ(test::run(scratch,
                      {"/usr/bin/gcc", "-O1", is_program ? "-pie" : "-shared", "-fPIC", "-o", path, source})
                .status,
            0);
  const CodeFile code(path);
  for (std::uint64_t offset = 0; offset < 0x4000; ++offset)
    if (const auto* at = code.at_offset(offset); at != nullptr && at->symbol == function)
      return {.file = path, .build_id = std::to_string(constant), .offset = offset, .in_program = is_program};
  ADD_FAILURE() << function;
  return {};
}

/// Samples of a place that was called by another.
SampledPlace sampled(const CodePlace& place, std::vector<CodePlace> callers, std::uint64_t samples) {
  SampledPlace of;
  static_cast<CodePlace&>(of) = place;
  of.build_id.clear();
  for (auto& caller : callers) caller.build_id.clear();
  of.callers = std::move(callers);
  of.samples = samples;
  return of;
}

/// The samples of a cell in its only round, by function, and by function and library's function.
std::map<std::string, std::int64_t> counts_of(const CodeSampleLog& log, CellId cell) {
  std::map<std::string, std::int64_t> all;
  for (const auto& trial : log.trials)
    if (trial.cell == cell)
      for (const auto& count : trial.counts) {
        all[log.code[count.code].name] += count.samples;
        if (count.library)
          all[log.code[count.code].name + " > " + log.code[*count.library].name] += count.samples;
      }
  return all;
}

class SampleCollectorTest : public testing::Test {
 protected:
  void take(int cell, std::vector<SampledPlace> places) {
    measure::CodeSamples code{.places = std::move(places), .period = 1e-3};
    for (const auto& place : code.places) code.taken += place.samples;
    collector_.take({.cell = CellId{cell}, .round = 1}, 1, 0, code);
  }
  std::map<std::string, std::int64_t> counts(int cell) {
    Design design;
    design.candidates = {{.name = "list"}, {.name = "heap", .baseline = CandidateId{0}}};
    design.workloads = {{.name = "orders"}};
    design.cells = {{CandidateId{0}, WorkloadId{0}}, {CandidateId{1}, WorkloadId{0}}};
    design.comparisons = {{CellId{0}, CellId{1}}};
    return counts_of(collector_.result(design), CellId{cell});
  }

  test::Scratch scratch_;
  SampleCollector collector_;
};

TEST_F(SampleCollectorTest, LibrariesCountWithTheFunctionThatCalledThem) {
  const auto list = built(scratch_, "list", "haul", 3, true), heap = built(scratch_, "heap", "haul", 5, true);
  const auto library = built(scratch_, "liblock.so", "moor", 7, false),
             other = built(scratch_, "libgate.so", "open_gate", 9, false);
  take(0, {sampled(list, {}, 5), sampled(library, {list}, 3), sampled(library, {other, list}, 2)});
  take(1, {sampled(heap, {}, 6), sampled(library, {heap}, 8), sampled(library, {}, 1)});
  EXPECT_THAT(counts(0),
              testing::UnorderedElementsAre(testing::Pair("haul", 10), testing::Pair("haul > moor", 5)));
  EXPECT_THAT(counts(1),
              testing::UnorderedElementsAre(testing::Pair("haul", 14), testing::Pair("haul > moor", 8),
                                            testing::Pair("moor", 1)))
      << "where no caller was found it is the library's own";
}

TEST_F(SampleCollectorTest, ALibraryThatDiffersIsTheBuildsOwn) {
  const auto program = built(scratch_, "list", "haul", 3, true);
  std::filesystem::create_directories(scratch_.path("new"));
  const auto before = built(scratch_, "liblock.so.1", "moor", 7, false),
             after = built(scratch_, "new/liblock.so.2", "moor", 8, false);
  take(0, {sampled(program, {}, 5), sampled(before, {program}, 3)});
  take(1, {sampled(program, {}, 5), sampled(after, {program}, 9)});
  EXPECT_THAT(counts(0), testing::UnorderedElementsAre(testing::Pair("haul", 5), testing::Pair("moor", 3)));
  EXPECT_THAT(counts(1), testing::UnorderedElementsAre(testing::Pair("haul", 5), testing::Pair("moor", 9)));
}

TEST_F(SampleCollectorTest, AFunctionWhoseCallersAreMostlyUnknownCountsForItself) {
  const auto program = built(scratch_, "list", "haul", 3, true),
             library = built(scratch_, "liblock.so", "moor", 7, false);
  take(0, {sampled(program, {}, 5), sampled(library, {program}, 3), sampled(library, {}, 4)});
  take(1, {sampled(program, {}, 5), sampled(library, {program}, 4), sampled(library, {}, 5)});
  EXPECT_THAT(counts(0), testing::UnorderedElementsAre(testing::Pair("haul", 5), testing::Pair("moor", 7)));
  EXPECT_THAT(counts(1), testing::UnorderedElementsAre(testing::Pair("haul", 5), testing::Pair("moor", 9)));
}

}  // namespace
}  // namespace assay::places
