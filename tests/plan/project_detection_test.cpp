#include "assay/plan/project_detection.hpp"

#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include "assay/plan/plan_file.hpp"
#include "support/tool.hpp"

namespace assay::plan {
namespace {

using test::Scratch;
using testing::ElementsAre;
using testing::HasSubstr;
using testing::IsEmpty;

/// What is made of a folder that holds these files.
Project project_of(const Scratch& scratch) {
  const auto found = detect_project(scratch.path());
  return found.value_or(Project{.kind = "none"});
}

TEST(ProjectDetection, RecognisesBuildSystems) {
  struct Case {
    std::string file, content, kind, program;
  };
  for (const auto& [file, content, kind, program] : std::vector<Case>{
           {"CMakeLists.txt", "add_executable( towpath main.cpp)\n# add_executable(no x)\n", "CMake",
            "${out}/towpath"},
           {"meson.build", "project('t')\nexecutable('weir', 'w.c')\n", "Meson", "${out}/weir"},
           {"Cargo.toml", "[package]\nname = \"lock\"\n", "Cargo", "${out}/release/lock"},
           {"go.mod", "module canal.example/tools/barge\n\ngo 1.19\n", "Go", "${out}/barge"},
           {"package.json", "{\"main\": \"./lib/index.js\"}", "npm", "${source}/lib/index.js"}}) {
    const Scratch scratch;
    scratch.file(file, content);
    const auto project = project_of(scratch);
    EXPECT_EQ(project.kind, kind);
    EXPECT_EQ(project.file, file);
    EXPECT_FALSE(project.build.steps.empty());
    EXPECT_THAT(project.programs, ElementsAre(program));
  }
  const Scratch none;
  EXPECT_FALSE(detect_project(none.path()));
  none.file("Makefile", "all:\n");
  EXPECT_EQ(project_of(none).kind, "Make");
  none.file("configure", "");
  EXPECT_EQ(project_of(none).build.steps.front(), std::vector<std::string>{"./configure"});
  none.file("CMakeLists.txt", "");
  EXPECT_EQ(project_of(none).kind, "CMake") << "a Makefile beside it calls it at most";
  EXPECT_THAT(project_of(none).programs, IsEmpty());
}

TEST(ProjectDetection, StarterPlanIsValid) {
  const Scratch scratch;
  auto plan = read(starter_plan(scratch.path(), false), "assay.toml", scratch.path());
  ASSERT_EQ(plan.candidates.size(), 2);
  EXPECT_EQ(plan.candidates[0].exe, "./old");
  scratch.file("CMakeLists.txt", "add_executable(\"odd\\name\" x)\nadd_executable(towpath x)\n");
  plan = read(starter_plan(scratch.path(), true), "assay.toml", scratch.path());
  ASSERT_EQ(plan.candidates.size(), 2);
  EXPECT_EQ(plan.candidates[0].commit, "HEAD");
  EXPECT_EQ(plan.candidates[1].commit, ".");
  EXPECT_EQ(plan.candidates[1].exe, "${out}/towpath");
  EXPECT_EQ(plan.candidates[1].build.steps.size(), 2);
}

}  // namespace
}  // namespace assay::plan
