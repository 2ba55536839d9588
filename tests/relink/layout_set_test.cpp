#include "assay/relink/layout_set.hpp"

#include <gmock/gmock.h>

#include <algorithm>
#include <set>

#include "assay/measure/file_io.hpp"
#include "assay/model/error.hpp"
#include "assay/plan/plan_file.hpp"
#include "assay/setup/run_plan.hpp"
#include "relink/linked.hpp"
#include "support/message.hpp"

namespace assay::test {
using namespace model;
namespace {

using relink::LayoutSet;
using setup::run_plan;
using testing::Contains;
using testing::HasSubstr;
namespace fs = std::filesystem;

class RelinkedCampaign : public Linked {
 protected:
  Plan plan(const std::string& relink, const std::string& step) {
    sources("old");
    sources("new", "const char* unused() { return \"a few words\"; }\n");
    scratch_.file(
        "assay.toml",
        "[plan]\nwatch = [\"cpu time\"]\nseed = 5\n[rounds]\nmin = 7\nmax = 9\ntwin = false\n[build]\nsteps "
        "= "
        "[[\"sh\", \"-c\", '" +
            step + "']]\nexe = \"${out}/program\"\nrelink = " + relink +
            "\n[[candidate]]\nname = \"old\"\nsource = \"old\"\n[[candidate]]\nname = \"new\"\nsource = "
            "\"new\"\n[[workload]]\nname = \"w\"\nrun = [\"${exe}\"]\ncheck = { equal = \"stdout\" }\n");
    return plan::read_file(scratch_.path("assay.toml"));
  }

  std::vector<fs::path> found(const std::string& name) const {
    std::vector<fs::path> all;
    for (const auto& entry : fs::recursive_directory_iterator(scratch_.path(".assay/cache/builds")))
      if (entry.path().filename() == name) all.push_back(entry.path());
    return all;
  }

  static std::vector<NoteKind> kinds(const Findings& findings) {
    std::vector<NoteKind> all;
    for (const auto& note : findings.notes) all.push_back(note.kind);
    return all;
  }
};

constexpr const char* usual = "g++ -O1 -o ${out}/program first.cpp loops.cpp main.cpp";

TEST_F(RelinkedCampaign, EachRoundTakesTheNextLayoutAndTheProgramsStayAsBuilt) {
  const auto relinked = plan("7", usual);
  const auto findings = setup::run_plan(relinked, {.ledger = scratch_.path("l.db")});
  EXPECT_EQ(findings.design.rules.layouts, 7);
  for (const auto& build : findings.design.builds) {
    EXPECT_EQ(build.layouts, 7);
    EXPECT_EQ(build.layout_method, layout_common);
    EXPECT_THAT(build.flags, HasSubstr("-ffunction-sections"));
  }
  const auto programs = found("program");
  ASSERT_EQ(programs.size(), 2);
  std::vector<std::string> digests;
  for (const auto& build : findings.design.builds) digests.push_back(build.exe_digest);
  for (const auto& program : programs)
    EXPECT_THAT(digests, Contains(measure::digest_of_file(program.string()))) << "a layout was left behind";
  EXPECT_THAT(kinds(findings), Contains(NoteKind::layouts_repeat)) << "nine rounds of seven";
  EXPECT_THAT(kinds(findings), Contains(NoteKind::layout_spread_at_most));
  std::size_t layouts = 0;
  for (const auto& entry : fs::recursive_directory_iterator(scratch_.path(".assay/cache/builds")))
    layouts +=
        entry.path().string().find("/layouts/") != std::string::npos && entry.is_regular_file() ? 1U : 0U;
  EXPECT_EQ(layouts, 14);
  const auto again = setup::run_plan(relinked, {.ledger = scratch_.path("l.db")});
  EXPECT_EQ(again.design.builds[0].exe_digest, findings.design.builds[0].exe_digest);
}

TEST_F(RelinkedCampaign, WithoutALinkItIsMeasuredAllTheSameAndNamesTheReason) {
  const auto findings = setup::run_plan(plan("true",
                                             "printf \"#!/bin/sh\\necho done\\n\" > ${out}/program; chmod +x "
                                             "${out}/program; cat loops.cpp >> ${out}/log"));
  EXPECT_EQ(findings.design.rules.layouts, 0);
  ASSERT_FALSE(findings.findings.empty());
  const auto note = std::ranges::find(findings.notes, NoteKind::layout_kept, &Note::kind);
  ASSERT_NE(note, findings.notes.end());
  EXPECT_THAT(note->quoted, HasSubstr("no link of program was seen"));
}

TEST_F(RelinkedCampaign, HasALayoutForEachRoundUpTo32) {
  auto asked = plan("true", usual);
  EXPECT_EQ(setup::run_plan(asked).design.rules.layouts, 9);
  EXPECT_EQ(asked.candidates[0].build.relink, Build::relink_for_rounds);
  EXPECT_THROW(plan("5", usual), Error);
}

TEST_F(RelinkedCampaign, ALibraryOfTheProjectIsVariedWithItsProgram) {
  const auto folder = sources("p");
  ASSERT_EQ(build(folder,
                  "g++ -O1 -fPIC -shared -o libloops.so loops.cpp && g++ -O1 -o program first.cpp main.cpp "
                  "-L. -lloops -Wl,-rpath,'$ORIGIN'")
                .status,
            0);
  std::vector<std::string> said;
  const auto library = folder + "/libloops.so", as_built = read_file(library);
  {
    LayoutSet layouts({{.candidate = "p", .program = folder + "/program", .folder = folder + "/relink"}},
                      {.count = 3, .seed = 7}, launcher_,
                      [&](const std::string& text) { said.push_back(text); }, {});
    EXPECT_TRUE(layouts.any());
    EXPECT_THAT(said, Contains(HasSubstr("common layouts; 1 shared library with it")));
    std::set<std::string> libraries;
    for (int round = 1; round <= 4; ++round) {
      layouts.install(round, {});
      libraries.insert(read_file(library));
      EXPECT_EQ(ran(folder + "/program").out, "42 53\n");
    }
    EXPECT_EQ(libraries.size(), 3);
    EXPECT_FALSE(libraries.contains(as_built));
  }
  EXPECT_EQ(read_file(library), as_built);
  EXPECT_TRUE(fs::is_empty(relink::layouts_in(folder + "/relink"))) << "of a drawn seed nothing is kept";
}

TEST_F(RelinkedCampaign, FunctionsOfAContestTakeTheLayoutsOfTheirProgram) {
  for (const char* name : {"old", "new"})
    scratch_.file(
        std::string(name) + "/contest.c",
        "#include <stdio.h>\n#include <stdlib.h>\n#include <time.h>\nstatic volatile long s;\n"
        "static double weigh(void) { clock_t a = clock(); for (long i = 0; i < 300000; ++i) s += i; "
        "return (double)(clock() - a + 1) / CLOCKS_PER_SEC; }\n"
        "int " +
            std::string(name) +
            "_unused(int x) { return x * 3; }\n"
            "int main(void) { FILE* to = fdopen(atoi(getenv(\"ASSAY_SAMPLES\")), \"w\"); for (int r = 0; r "
            "< 3; ++r) fprintf(to, \"{\\\"candidate\\\":\\\"weigh\\\",\\\"round\\\":%d,\\\"metric\\\":"
            "\\\"time per call\\\",\\\"unit\\\":\\\"s\\\",\\\"value\\\":%.9f}\\n\", r, weigh()); "
            "return fclose(to); }\n");
  scratch_.file(
      "contest.toml",
      "[rounds]\nmin = 7\nmax = 8\ntwin = false\n[build]\nsteps = [[\"cc\", \"-O1\", \"-o\", "
      "\"${out}/c\", \"contest.c\"]]\nexe = \"${out}/c\"\nrelink = 7\n[[candidate]]\nname = "
      "\"old\"\nsource = \"old\"\n[[candidate]]\nname = \"new\"\nsource = \"new\"\n[[workload]]\nname = "
      "\"w\"\ncontest = [\"${exe}\"]\n");
  const auto findings = setup::run_plan(plan::read_file(scratch_.path("contest.toml")));
  EXPECT_EQ(findings.design.rules.layouts, 7);
  const auto time = std::ranges::find_if(findings.findings, [&](const Finding& f) {
    return findings.metric_of(f).name == "time per call" && !findings.design.is_twin(f.comparison.candidate);
  });
  ASSERT_NE(time, findings.findings.end());
  EXPECT_EQ(time->replication.layouts, 7);
  for (const auto& build : findings.design.builds) EXPECT_EQ(build.layout_method, layout_common);
}

TEST_F(RelinkedCampaign, AnotherProcessOnTheSameBuildsIsRefused) {
  const auto relinked = plan("7", usual);
  setup::run_plan(relinked, {.ledger = scratch_.path("l.db")});
  const auto builds = found("relink");
  ASSERT_EQ(builds.size(), 2U);
  const auto command = "exec 9> '" + builds[0].string() + "/lock'; flock 9; touch held; read x < ended";
  ASSERT_EQ(run(scratch_, {"/usr/bin/mkfifo", "ended"}).status, 0);
  ASSERT_EQ(run(scratch_, {"/bin/sh", "-c", "(" + command + ") & while ! test -e held; do sleep 0.01; done"})
                .status,
            0);
  EXPECT_THAT(message_of([&] { setup::run_plan(relinked, {.ledger = scratch_.path("l.db")}); }),
              HasSubstr("in use by another process"));
  run(scratch_, {"/bin/sh", "-c", "echo x > ended"});
  setup::run_plan(relinked, {.ledger = scratch_.path("l.db")});
}

TEST_F(RelinkedCampaign, AStopEndsTheLinking) {
  const auto folder = sources("p");
  ASSERT_EQ(build(folder, "g++ -O1 -o program first.cpp loops.cpp main.cpp").status, 0);
  LayoutSet layouts({{.candidate = "p", .program = folder + "/program", .folder = folder + "/relink"}},
                    {.count = 3, .seed = 7}, launcher_, [](const std::string&) {}, {});
  std::stop_source stop;
  stop.request_stop();
  EXPECT_THROW(layouts.install(1, stop.get_token()), Cancelled);
  for (const auto& entry : fs::recursive_directory_iterator(relink::layouts_in(folder + "/relink")))
    EXPECT_FALSE(entry.is_regular_file()) << entry.path() << " was left";
  layouts.install(1, {});
}

}  // namespace
}  // namespace assay::test
