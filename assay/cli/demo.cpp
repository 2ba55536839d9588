#include <sys/wait.h>
#include <unistd.h>

#include <CLI/CLI.hpp>
#include <algorithm>
#include <array>
#include <cerrno>
#include <filesystem>
#include <iostream>
#include <memory>
#include <string>
#include <vector>

#include "assay/app/terminal.hpp"
#include "assay/cli/command.hpp"
#include "assay/cli/find_campaign.hpp"
#include "assay/cli/run_comparison.hpp"
#include "assay/error.hpp"
#include "assay/judge.hpp"
#include "assay/plan.hpp"
#include "assay/report.hpp"

namespace assay::cli {
namespace fs = std::filesystem;
namespace {

/// The demo's files, laid out beside the tool in the build tree as when installed.
struct Shipped {
  fs::path programs, files;  ///< files: plans, and what the repository is made of
};

Shipped find_shipped() {
  const auto prefix = fs::read_symlink("/proc/self/exe").parent_path().parent_path();
  const fs::path files = prefix / "share/assay/demo";
  for (const char* library : {"lib", "lib64", "lib/x86_64-linux-gnu", "lib/aarch64-linux-gnu"})
    if (const auto programs = prefix / library / "assay/demo";
        fs::exists(programs / "towpath-generate") && fs::exists(files / "assay.toml"))
      return {programs, files};
  throw Error("the demo's programs are not installed beside this program", prefix.string(),
              "build with ASSAY_DEMO=ON, or use ./demo.sh in the source tree");
}

void make_data(const Shipped& shipped, const std::string& folder) {
  struct Size {
    const char *locks, *orders;
  };
  constexpr std::array<Size, 3> sizes = {{{"200", "4000"}, {"800", "1500"}, {"3200", "400"}}};
  for (const auto& size : sizes)
    app::run_command(
        {(shipped.programs / "towpath-generate").string(), folder, size.locks, size.orders, "42"},
        "the demo's data", folder);
  app::run_command({"bash", (shipped.files / "make-history.sh").string(), (shipped.files / "source").string(),
                    (fs::path(folder) / "repository").string()},
                   "the demo's repository", folder);
}

/// The demo's plans besides the first, each a campaign of its own; history is many.
constexpr std::array<const char*, 7> further_plans = {"commits",  "history", "matrix", "options",
                                                      "services", "stages",  "team"};

/// Runs a program in a folder, with its output where this one's goes.
int run_in(const std::string& folder, std::vector<std::string> words) {
  std::vector<char*> arguments;
  for (auto& word : words) arguments.push_back(word.data());
  arguments.push_back(nullptr);
  const auto child = fork();
  if (child == 0) {
    if (chdir(folder.c_str()) == 0) execvp(arguments.front(), arguments.data());
    _exit(app::exit_nothing_measured);
  }
  int status = 0;
  while (waitpid(child, &status, 0) < 0 && errno == EINTR) {
  }
  return WIFEXITED(status) ? WEXITSTATUS(status) : app::exit_interrupted;
}

/// Runs the tool itself, as one would type it in the demo's folder.
int run_tool(const std::string& folder, std::vector<std::string> words) {
  std::cerr << "assay: the same as: cd " << folder << " && " << app::shell_quoted(words) << "\n\n";
  words.front() = fs::read_symlink("/proc/self/exe").string();
  return run_in(folder, std::move(words));
}

/// Two runners that measure one campaign, in a ledger on a server of the demo's own.
int demo_team(const Shipped& shipped, const std::string& folder) {
  return run_in(folder, {"env", "ASSAY=" + fs::read_symlink("/proc/self/exe").string(), "bash",
                         (shipped.files / "team.sh").string()});
}

/// What the history of the demo's repository shows, and which commit did the first of it.
int demo_history(const std::string& folder) {
  const int status =
      run_tool(folder, {"assay", "trend", "--budget", "4min", "--page", "history.html", "history.toml"});
  if (status != app::exit_done) return status;
  std::cout << std::endl;
  const int located =
      run_tool(folder, {"assay", "locate", "--good", "v0.4.1", "--bad", "v0.5", "history.toml"});
  std::cerr << "\nassay: wrote " << (fs::path(folder) / "history.html").string()
            << ", a page to open in a browser\n";
  return located;
}

int demo(const std::string& plan_name, const std::string& folder, const std::string& rounds,
         const std::string& when_busy) {
  const auto shipped = find_shipped();
  std::error_code failed;
  fs::create_directories(fs::path(folder) / "bin", failed);
  if (failed)
    throw Error("the folder can't be made: " + failed.message(), folder,
                "name another one: assay demo FOLDER");
  for (const char* name :
       {"towpath-list", "towpath-heap", "towpath-goal", "towpath-matrix", "towpath-hasty", "towpath-server"})
    fs::copy_file(shipped.programs / name, fs::path(folder) / "bin" / name,
                  fs::copy_options::overwrite_existing);
  std::vector<std::string> plans = {"assay"};
  plans.insert(plans.end(), further_plans.begin(), further_plans.end());
  for (const auto& file : plans)
    fs::copy_file(shipped.files / (file + ".toml"), fs::path(folder) / (file + ".toml"),
                  fs::copy_options::overwrite_existing);
  const auto plan_file = (fs::path(folder) / (plan_name + ".toml")).string();
  std::cerr << "assay: making a network of canals in " << folder << ", and a repository of its planner\n";
  make_data(shipped, folder);
  if (plan_name == "history") return demo_history(folder);
  if (plan_name == "team") return demo_team(shipped, folder);
  auto plan = plan::read_file(plan_file);
  if (!rounds.empty()) plan.rounds = app::parse_rounds(rounds);
  const auto run = "assay run" + (rounds.empty() ? "" : " --rounds " + rounds) +
                   (plan_name == "assay" ? "" : " " + plan_name + ".toml");
  std::cerr << "assay: the same as: cd " << folder << " && " << run << "\n\n";
  const auto ledger = plan_ledger(plan_file);
  const int status = compare(plan, {.kind = CampaignKind::plan,
                                    .ledger = ledger,
                                    .repeat_command = "assay run " + plan_name + ".toml",
                                    .when_busy = when_busy,
                                    .confirms_uid = {},
                                    .resume_command = "cd " + folder + " && " + run + " --resume"});
  auto found = find_campaign("last", ledger);
  const auto record = found.ledger.read(found.campaign.id);
  const auto findings = judge::judge_record(record);
  for (const auto& [name, text] :
       {std::pair<std::string, std::string>{"findings.json", render::to_json(findings)},
        {"findings.html", render::to_page(findings, record)}}) {
    const auto path = (fs::path(folder) / name).string();
    write_file(path, text, "the findings");
  }
  std::cerr << "\nassay: wrote " << (fs::path(folder) / "findings.html").string()
            << ", a page to open in a browser; to see the findings again: cd " << folder
            << " && assay verdict; more of it: assay demo commits (or history, services, matrix, options, "
               "stages, team)\n";
  return status;
}

}  // namespace

void add_demo(CLI::App& app, Action& action) {
  auto* command = app.add_subcommand(
      "demo", "the whole example: barges' routes through made-up canals, planned four ways");
  auto names = std::make_shared<std::vector<std::string>>();
  auto rounds = std::make_shared<std::string>();
  command
      ->add_option("WHERE", *names,
                   "a folder for its programs, data and findings (default assay-demo); before it one of its "
                   "further plans: commits, history, matrix, options, services, stages, team")
      ->expected(0, 2);
  app::add_rounds(*command, *rounds, ", in place of the plan's");
  auto when_busy = std::make_shared<std::string>("wait");
  app::add_when_busy(*command, *when_busy);
  command->callback([names, rounds, when_busy, &action] {
    std::string plan = "assay", folder = "assay-demo";
    auto rest = *names;
    if (!rest.empty() && std::ranges::count(further_plans, rest.front()) > 0) {
      plan = rest.front();
      rest.erase(rest.begin());
    }
    if (rest.size() > 1)
      throw Error("\"" + rest.front() + "\" is none of the demo's plans", "demo",
                  "write commits, history, matrix, options, services, stages or team, then the folder");
    if ((plan == "history" || plan == "team") && !rounds->empty())
      throw Error("the rounds of this one go by what they tell", "demo", "leave --rounds out");
    if (!rest.empty()) folder = rest.front();
    action = [=] { return demo(plan, folder, *rounds, *when_busy); };
  });
}

}  // namespace assay::cli
