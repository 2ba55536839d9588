#include <gmock/gmock.h>
#include <sys/stat.h>

#include <fstream>

#include "relink/linked.hpp"

namespace assay::test {
using namespace model;
namespace {

using testing::HasSubstr;
namespace fs = std::filesystem;

using CapturedLinks = Linked;

constexpr const char* usual_build = "g++ -O1 -o program first.cpp loops.cpp main.cpp";

TEST_F(CapturedLinks, AFailingLinkReportsAndEndsAsWithoutIt) {
  const auto folder = sources("p");
  scratch_.file("p/bad.cpp", "int nowhere();\nint main() { return nowhere(); }\n");
  const auto plain =
      run(scratch_, {"/usr/bin/env", "-C", folder, "sh", "-c", "g++ -c bad.cpp; ld -o b bad.o"});
  const auto seen = build(folder, "g++ -c bad.cpp; ld -o b bad.o");
  EXPECT_NE(plain.status, 0);
  EXPECT_EQ(seen.status, plain.status);
  EXPECT_THAT(seen.err, HasSubstr("nowhere"));
  EXPECT_TRUE(links(folder).empty());
}

TEST_F(CapturedLinks, KeepsWhatIsNeededAndFindsTheLinkOfAProgram) {
  const auto folder = sources("p");
  ASSERT_EQ(build(folder, std::string(usual_build) + " && cp program other").status, 0);
  const auto all = links(folder);
  ASSERT_EQ(all.size(), 1);
  EXPECT_EQ(all[0].output, folder + "/program");
  EXPECT_EQ(all[0].kept.size(), 3) << "objects that the compiler has taken away since";
  for (const auto& kept : all[0].kept) EXPECT_TRUE(fs::exists(kept)) << kept;
  EXPECT_EQ(relink::link_of(all, folder + "/program"), all.data());
  EXPECT_EQ(relink::link_of(all, folder + "/other"), all.data()) << "by its bytes";
  EXPECT_EQ(relink::link_of(all, folder + "/main.cpp"), nullptr);
  ASSERT_EQ(run(scratch_, {"/usr/bin/strip", folder + "/other"}).status, 0);
  EXPECT_EQ(relink::link_of(all, folder + "/other"), all.data()) << "by its build id";
}

TEST_F(CapturedLinks, IgnoreProgramsThatTheBuildRemovesAgain) {
  const auto folder = sources("p");
  ASSERT_EQ(
      build(folder,
            "echo 'int main() { return 0; }' > try.cpp && g++ -o program try.cpp && rm program && g++ -o "
            "elsewhere try.cpp && rm elsewhere && " +
                std::string(usual_build))
          .status,
      0);
  const auto all = links(folder);
  ASSERT_EQ(all.size(), 3);
  const auto* link = relink::link_of(all, folder + "/program");
  ASSERT_NE(link, nullptr);
  EXPECT_EQ(link->kept.size(), 3) << "the last one's three objects";
  relinker(folder);
  EXPECT_EQ(problem_, "");
}

TEST_F(CapturedLinks, AFailedCaptureNeverFailsTheBuild) {
  const auto folder = sources("p");
  const auto links = relink::links_in(folder + "/relink");
  fs::create_directories(links);
  scratch_.file("full", "");
  auto variables =
      relink::capturing_environment(relink::shim_folder(scratch_.path("shim")), scratch_.path("full"));
  std::vector<std::string> words = {"/usr/bin/env", "-C", folder};
  words.insert(words.end(), variables.begin(), variables.end());
  words.insert(words.end(), {"sh", "-c", usual_build});
  const auto ran = run(scratch_, words);
  EXPECT_EQ(ran.status, 0) << ran.err;
  EXPECT_EQ(ran.err, "");
}

TEST_F(CapturedLinks, EachFunctionGetsASectionInAnyOfTheCompilers) {
  for (const char* compiler : {"g++", "clang++"}) {
    if (run(scratch_, {"/usr/bin/env", "sh", "-c", std::string("command -v ") + compiler}).status != 0)
      continue;
    const auto folder = sources(compiler);
    ASSERT_EQ(build(folder, std::string(compiler) + " -O1 -c loops.cpp -o loops.o").status, 0);
    EXPECT_THAT(run(scratch_, {"/usr/bin/readelf", "-SW", folder + "/loops.o"}).out,
                HasSubstr(".text._Z3addPKii"))
        << compiler;
  }
}

/// A way to build and link, and whether its layouts are common ones.
struct Way {
  const char* name;
  const char* command;
  bool common = true;
  const char* needs = "g++";
};

class EachLinkMethod : public CapturedLinks, public testing::WithParamInterface<Way> {};

TEST_P(EachLinkMethod, ReproducesTheLinkAndMakesLayouts) {
  const auto& way = GetParam();
  const auto folder = sources("with a blank");
  if (run(scratch_, {"/usr/bin/env", "sh", "-c", std::string("command -v ") + way.needs}).status != 0)
    GTEST_SKIP() << "there is no " << way.needs << " here";
  const auto built = build(folder, way.command);
  ASSERT_EQ(built.status, 0) << built.err;
  // Link-time optimisation has an order of its own.
  const auto says = ran(folder + "/program").out;
  EXPECT_EQ(says, std::string(way.name) == "link_time" ? says : "42 53\n");
  const auto again = relinker(folder);
  ASSERT_EQ(problem_, "");
  EXPECT_EQ(again.method() == relink::LayoutMethod::common, way.common);
  std::set<std::string> seen = {read_file(folder + "/program")};
  for (const std::uint64_t seed : {1U, 2U, 1U}) {
    const auto to = folder + "/layout";
    ASSERT_EQ(again.link(relink::shared_addresses({again.pieces()}, seed), seed, to, {}), "");
    seen.insert(read_file(to));
    EXPECT_EQ(ran(to).out, says) << "objects are initialised in the same order";
  }
  EXPECT_EQ(seen.size(), 3) << "the same seed gives the same bytes, another others";
}

INSTANTIATE_TEST_SUITE_P(
    CapturedLinks, EachLinkMethod,
    testing::Values(
        Way{"plain", usual_build}, Way{"debug", "g++ -O1 -g -o program first.cpp loops.cpp main.cpp"},
        Way{"stripped", "g++ -O1 -s -o program first.cpp loops.cpp main.cpp"},
        Way{"static_program", "g++ -O1 -static -o program first.cpp loops.cpp main.cpp"},
        Way{"without_the_unused", "g++ -O1 -Wl,--gc-sections -o program first.cpp loops.cpp main.cpp"},
        Way{"link_time", "g++ -O1 -flto -o program first.cpp loops.cpp main.cpp"},
        Way{"response_file",
            "g++ -O1 -c first.cpp loops.cpp main.cpp && echo \"first.o 'loops.o' main.o\" > all && g++ "
            "-Wl,@all -o program"},
        Way{"archive",
            "g++ -O1 -c first.cpp loops.cpp main.cpp && ar rcs libloops.a loops.o && g++ -o program first.o "
            "main.o -L. -lloops"},
        Way{"linker_by_hand",
            "g++ -O1 -c first.cpp loops.cpp main.cpp && ld -o program -pie -dynamic-linker "
            "/lib64/ld-linux-x86-64.so.2 $(g++ -print-file-name=Scrt1.o) $(g++ -print-file-name=crti.o) "
            "first.o "
            "loops.o main.o -lc $(g++ -print-file-name=crtn.o)"},
        Way{"clang", "clang++ -O1 -o program first.cpp loops.cpp main.cpp", true, "clang++"},
        Way{"gold", "g++ -O1 -fuse-ld=gold -o program first.cpp loops.cpp main.cpp", false, "ld.gold"},
        Way{"lld", "clang++ -O1 -fuse-ld=lld -o program first.cpp loops.cpp main.cpp", false, "ld.lld"},
        Way{"own_script",
            "ld --verbose -pie | sed '1,/=====/d;/=====/,$d' > own.ld; g++ -O1 -o program first.cpp "
            "loops.cpp main.cpp -Wl,-T,own.ld",
            false}),
    [](const auto& way) { return std::string(way.param.name); });

/// A build within a build: each would take the other for the real linker, and start it without end.
TEST_F(CapturedLinks, StandInsOfTwoBuildsEndAtTheRealLinker) {
  const auto folder = sources("p");
  const auto one = relink::shim_folder(scratch_.path("one")),
             other = relink::shim_folder(scratch_.path("other"));
  const auto ran = run(
      scratch_, {"/usr/bin/env", "-C", folder, "COMPILER_PATH=" + one + ":" + other,
                 "PATH=" + one + ":" + other + ":/usr/bin:/bin", "timeout", "60", "sh", "-c", usual_build});
  EXPECT_EQ(ran.status, 0) << ran.err;
  EXPECT_TRUE(fs::exists(folder + "/program"));
}

TEST_F(CapturedLinks, AStandInThatWasReplacedIsWrittenAgain) {
  const auto place = relink::shim_folder(scratch_.path("shim"));
  const auto whole = test::read_file(place + "/ld");
  std::ofstream(place + "/ld") << "#!/bin/sh\ntouch ran\n";
  EXPECT_EQ(relink::shim_folder(scratch_.path("shim")), place);
  EXPECT_EQ(test::read_file(place + "/ld"), whole);
}

TEST_F(CapturedLinks, RecordsThatABuildMadeUpAreLeftOut) {
  const auto links_of = relink::links_in(scratch_.path("p/relink"));
  const char made_up[] = "linker\0/bin/ld\0output\0o\0at\0many\0kept\0x";
  const std::string record(made_up, sizeof made_up);
  scratch_.file("p/relink/links/1/link", record);
  fs::create_directories(links_of + "/2");
  ASSERT_EQ(mkfifo((links_of + "/2/link").c_str(), 0600), 0);
  EXPECT_TRUE(relink::captured_links(links_of).empty()) << "and none is waited for";
}

}  // namespace
}  // namespace assay::test
