#include <gmock/gmock.h>

#include <set>

#include "assay/relink/address_plan.hpp"
#include "assay/relink/code_map.hpp"
#include "relink/linked.hpp"

namespace assay::test {
using namespace model;
namespace {

using namespace relink;
using testing::ElementsAre;

TEST(CodeMapOf, ReadsLongNamesBlanksAndMembers) {
  const auto map = read_code_map(
      "Discarded input sections\n\n .text._ZN4gone 0x0000000000000000 0x10 a.o\n\n"
      "Linker script and memory map\n\nLOAD a.o\n\n.init           0x0000000000001000       0x17\n"
      " .init          0x0000000000001000       0x17 crti.o\n\n"
      ".text           0x0000000000001040      0x200\n *(.text.unlikely .text.*_unlikely)\n"
      " .text.unlikely.g\n                0x0000000000001040       0x21 /tmp/with a blank/b.o\n"
      " .text          0x0000000000001070        0x0 a.o\n"
      " *fill*         0x0000000000001061        0xf \n"
      " .text.f        0x0000000000001070       0x10 lib.a(m.o)\n"
      "                0x0000000000001070                f\n"
      " .text          0x0000000000001080       0x10 crt1.o\n\n"
      ".fini           0x0000000000002000        0x9\n .text.h 0x0000000000002000 0x9 c.o\n");
  EXPECT_EQ(map.start, 0x1040);
  ASSERT_EQ(map.sections.size(), 3);
  EXPECT_EQ(map.sections[0].name, ".text.unlikely.g");
  EXPECT_EQ(map.sections[0].file, "/tmp/with a blank/b.o");
  EXPECT_EQ(map.sections[0].size, 0x21);
  EXPECT_EQ(map.sections[1].file, "lib.a(m.o)");
  EXPECT_EQ(map.sections[2].address, 0x1080);
  const auto pieces = pieces_of(map);
  EXPECT_EQ(pieces[0].key.kind, 0);
  EXPECT_EQ(pieces[1].key.kind, 5);
  EXPECT_TRUE(read_code_map("nothing of the kind").sections.empty());
}

CodePiece piece(const std::string& name, std::uint64_t size, int kind = 5, std::uint64_t alignment = 16) {
  return {.key = {kind, name, {}, 0},
          .pattern = "\"a.o\"",
          .section = name,
          .size = size,
          .alignment = alignment};
}

TEST(SharedAddresses, HoldTheLargestAndKeepKindsTogether) {
  const std::vector<CodePiece> one = {piece("f", 100), piece("g", 50, 0), piece("h", 7, 5, 64)},
                               other = {piece("f", 300), piece("k", 20)};
  std::set<std::uint64_t> places;
  for (std::uint64_t seed = 0; seed < 50; ++seed) {
    const auto slots = shared_addresses({one, other}, seed);
    EXPECT_EQ(slots, shared_addresses({one, other}, seed));
    EXPECT_EQ(slots.size(), 4);
    std::map<std::uint64_t, std::uint64_t> ends;  // by start
    for (const auto& p : {piece("f", 300), piece("g", 50, 0), piece("h", 7), piece("k", 20)})
      ends[slots.at(p.key)] = slots.at(p.key) + p.size;
    for (auto at = ends.begin(); std::next(at) != ends.end(); ++at)
      EXPECT_LE(at->second, std::next(at)->first);
    EXPECT_EQ(ends.begin()->first, slots.at(one[1].key)) << "what is unlikely stands in front";
    EXPECT_EQ(slots.at(one[2].key) % 64, 0);
    places.insert(slots.at(one[0].key));
  }
  EXPECT_GT(places.size(), 40);
}

TEST(SharedAddresses, KeepTheCompilersOrder) {
  const std::vector<CodePiece> sorted = {piece(".text.sorted.1", 10, 4), piece(".text.sorted.2", 10, 4),
                                         piece(".text.sorted.3", 10, 4)};
  for (std::uint64_t seed = 0; seed < 20; ++seed) {
    const auto slots = shared_addresses({sorted}, seed);
    EXPECT_LT(slots.at(sorted[0].key), slots.at(sorted[1].key));
    EXPECT_LT(slots.at(sorted[1].key), slots.at(sorted[2].key));
  }
}

TEST(SharedAddresses, AlignmentsShowWhereAPieceLands) {
  EXPECT_EQ(alignment_at(16), 16);
  EXPECT_EQ(alignment_at(256 + 32), 32);
  EXPECT_EQ(alignment_at(512 + 128), 128);
  EXPECT_EQ(alignment_at(512), 4096);
}

TEST(ScriptWith, PutsPiecesFirstIntoText) {
  const std::vector<CodePiece> pieces = {piece(".text.f", 10), piece(".text.g", 10)};
  AddressPlan slots = {{pieces[0].key, 64}, {pieces[1].key, 16}};
  EXPECT_EQ(script_with("A\n  .text           :\n  {\n    *(.text)\n  }\n", pieces, slots),
            "A\n  .text : ALIGN(4096)\n  {\n    . = 16;\n    \"a.o\"(.text.g)\n    . = 64;\n    "
            "\"a.o\"(.text.f)\n"
            "    *(.text)\n  }\n");
  EXPECT_EQ(script_with("SECTIONS { .text : { *(.text) } }", pieces, slots), "");
}

using CommonLayouts = Linked;

TEST_F(CommonLayouts, PutOneFunctionToOneAddressInBothProgramsAndMoveItByLayout) {
  const auto a = sources("a"), b = sources("b", "const char* unused() { return \"a few words\"; }\n");
  for (const auto& folder : {a, b})
    ASSERT_EQ(build(folder, "g++ -O2 -o program first.cpp loops.cpp main.cpp").status, 0);
  const auto in_a = relinker(a), in_b = relinker(b);
  ASSERT_EQ(problem_, "");
  const auto as_built = instructions(a + "/program");
  EXPECT_NE(addresses(a + "/program").at("_start"), 0);
  std::set<std::uint64_t> places;
  for (std::uint64_t layout = 0; layout < 4; ++layout) {
    const auto slots = shared_addresses({in_a.pieces(), in_b.pieces()}, layout);
    ASSERT_EQ(in_a.link(slots, layout, a + "/layout", {}), "");
    ASSERT_EQ(in_b.link(slots, layout, b + "/layout", {}), "");
    const auto here = addresses(a + "/layout"), there = addresses(b + "/layout");
    for (const char* function : {"_Z3addPKii", "_Z5countPKc", "_Z6halvesi", "main", "_start"})
      EXPECT_EQ(here.at(function), there.at(function)) << function << " in layout " << layout;
    EXPECT_TRUE(there.contains("_Z6unusedv"));
    places.insert(here.at("_Z3addPKii"));
    EXPECT_EQ(instructions(a + "/layout"), as_built) << "equal but for padding and addresses";
  }
  EXPECT_EQ(places.size(), 4);
}

TEST_F(CommonLayouts, HoldWhatMustBeAlignedWidely) {
  const auto folder = sources("p", "__attribute__((aligned(64))) int wide(int x) { return x * 3 + 1; }\n");
  ASSERT_EQ(build(folder, "g++ -O1 -o program first.cpp loops.cpp main.cpp").status, 0);
  const auto again = relinker(folder);
  ASSERT_EQ(problem_, "");
  for (std::uint64_t layout = 0; layout < 3; ++layout) {
    ASSERT_EQ(again.link(shared_addresses({again.pieces()}, layout), layout, folder + "/layout", {}), "");
    EXPECT_EQ(addresses(folder + "/layout").at("_Z4widei") % 64, 0);
  }
}

TEST_F(CommonLayouts, ALinkWhoseInputsChangedIsNotVaried) {
  const auto folder = sources("p");
  ASSERT_EQ(build(folder,
                  "g++ -O1 -c first.cpp loops.cpp main.cpp && g++ -o program first.o loops.o main.o && g++ "
                  "-O0 -g -x c++ -c main.cpp -o other.o && cat other.o > main.o")
                .status,
            0);
  relinker(folder);
  EXPECT_EQ(problem_, "linking it again does not give the same bytes");
}

TEST_F(CommonLayouts, AProgramIsPutBackAsItWasBuilt) {
  const auto program = scratch_.file("out/program", "as built");
  const auto own = back_up_original(scratch_.path("relink"), program);
  install(scratch_.file("layout", "another"), program);
  EXPECT_EQ(read_file(program), "another");
  EXPECT_EQ(back_up_original(scratch_.path("relink"), program), own) << "kept once";
  restore_originals(scratch_.path("relink"));
  EXPECT_EQ(read_file(program), "as built");
  restore_originals(scratch_.path("nowhere"));
}

}  // namespace
}  // namespace assay::test
