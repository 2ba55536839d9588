#include "assay/plan.hpp"

#include <CLI/CLI.hpp>
#include <filesystem>
#include <iostream>
#include <memory>

#include "assay/cli/command.hpp"
#include "assay/cli/run_comparison.hpp"
#include "assay/error.hpp"

namespace assay::cli {
namespace fs = std::filesystem;
namespace {

constexpr const char* plan_examples =
    R"(  assay plan               writes assay.toml for the project in this folder
  assay plan bench.toml    the same under another name

How the project is built is read from its files (CMake, Meson, Make, Cargo, Go, npm). A file that is there
already is left as it is.)";

/// Whether a folder, or one that it lies in, is a git repository.
bool is_in_git(fs::path folder) {
  std::error_code failed;
  for (; !fs::exists(folder / ".git", failed); folder = folder.parent_path())
    if (!folder.has_relative_path()) return false;
  return true;
}

int write_plan(const std::string& path) {
  std::error_code failed;
  if (fs::exists(path, failed))
    throw Error("there is a plan already", path, "edit it, or name another file: assay plan bench.toml");
  const auto folder = fs::absolute(path).lexically_normal().parent_path();
  const auto text = plan::starter_plan(folder.string(), is_in_git(folder));
  write_file(path, text, "the plan");
  const auto project = plan::detect_project(folder.string());
  const auto name = path == "assay.toml" ? "" : " " + path;
  std::cerr << "assay: wrote " << path
            << (project ? ", for a " + project->kind + " project (" + project->file + ")"
                        : ", without a build: this folder has none of " + plan::project_files())
            << "\nassay: fill in the workload, look with assay run --show" << name
            << ", carry it out with assay run" << name << "\n";
  return app::exit_done;
}

}  // namespace

void add_plan(CLI::App& app, Action& action) {
  auto* command =
      app.add_subcommand("plan", "write a plan file to begin with, for the project in this folder");
  auto path = std::make_shared<std::string>("assay.toml");
  command->add_option("FILE", *path, "where to write it (default assay.toml)");
  command->footer(plan_examples);
  command->callback([path, &action] { action = [path] { return write_plan(*path); }; });
}

}  // namespace assay::cli
