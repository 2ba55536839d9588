#include "assay/build/builder.hpp"

#include <fcntl.h>
#include <unistd.h>

#include <algorithm>
#include <cstdlib>
#include <filesystem>
#include <fstream>
#include <functional>
#include <nlohmann/json.hpp>
#include <set>
#include <string_view>
#include <thread>

#include "assay/build/compiler_info.hpp"
#include "assay/build/repository.hpp"
#include "assay/measure/file_io.hpp"
#include "assay/measure/program_file.hpp"
#include "assay/model/error.hpp"
#include "assay/model/own_files.hpp"
#include "assay/model/text.hpp"
#include "assay/relink/captured_links.hpp"
#include "assay/relink/code_map.hpp"

namespace assay::build {
namespace fs = std::filesystem;
namespace {

using Json = nlohmann::json;

std::string joined(const std::vector<std::string>& words) {
  std::string text;
  for (const auto& word : words) text += (text.empty() ? "" : " ") + word;
  return text;
}

/// The variables of this process that compilers and build systems heed, as they are set: the one list of them.
std::string build_environment() {
  static const std::set<std::string, std::less<>> names = {"AR",
                                                           "AS",
                                                           "CC",
                                                           "CFLAGS",
                                                           "COMPILER_PATH",
                                                           "CPATH",
                                                           "CPLUS_INCLUDE_PATH",
                                                           "CPP",
                                                           "CPPFLAGS",
                                                           "CXX",
                                                           "CXXFLAGS",
                                                           "C_INCLUDE_PATH",
                                                           "FC",
                                                           "FFLAGS",
                                                           "GCC_EXEC_PREFIX",
                                                           "LD",
                                                           "LDFLAGS",
                                                           "LDLIBS",
                                                           "LD_LIBRARY_PATH",
                                                           "LD_PRELOAD",
                                                           "LD_RUN_PATH",
                                                           "LIBRARY_PATH",
                                                           "MAKEFLAGS",
                                                           "MFLAGS",
                                                           "NM",
                                                           "NODE_ENV",
                                                           "NODE_OPTIONS",
                                                           "OBJCOPY",
                                                           "RANLIB",
                                                           "SDKROOT",
                                                           "SOURCE_DATE_EPOCH",
                                                           "STRIP"};
  static const std::vector<std::string> beginnings = {
      "CARGO_", "CCACHE_", "CGO_", "CMAKE_", "GO", "MESON", "NINJA_", "PKG_CONFIG", "RUST", "npm_config_"};
  std::set<std::string> found;
  for (char** entry = environ; entry != nullptr && *entry != nullptr; ++entry) {
    const std::string_view variable = *entry;
    const auto name = variable.substr(0, variable.find('='));
    if (names.contains(name) ||
        std::ranges::any_of(beginnings, [&](const std::string& begin) { return name.starts_with(begin); }))
      found.emplace(variable);
  }
  std::string text;
  for (const auto& variable : found) text += variable + '\0';
  return text;
}

/// What the programs and libraries that a build has made are now, by name.
std::string digest_of_build(const BuildResult& built) {
  std::vector<std::string> found;
  std::error_code failed;
  fs::recursive_directory_iterator at(built.out, failed), end;
  for (; !failed && at != end; at.increment(failed)) {
    if (at->is_symlink(failed) || !at->is_regular_file(failed)) continue;
    const bool runs = (at->status(failed).permissions() & fs::perms::owner_exec) != fs::perms::none;
    if (runs || at->path().filename().string().find(".so") != std::string::npos)
      found.push_back(at->path().lexically_relative(built.out).string() + '=' +
                      measure::digest_of_file(at->path().string()));
  }
  std::ranges::sort(found);
  std::string text;
  for (const auto& entry : found) text += entry + '\n';
  return measure::digest_of(text);
}

std::string key_of(const BuildRequest& order, const Source& source, const std::string& toolchain) {
  std::string text = source.tree + "\n" + source.subfolder + "\n" + toolchain + build_environment();
  for (const auto& step : order.steps) {
    for (const auto& word : step) text += word + '\0';
    text += '\n';
  }
  if (order.capture) text += "links are kept\n";
  return measure::digest_of(text).substr(0, 24);
}

/// The last lines of a log, the ones that say what went wrong.
std::string end_of(const std::string& text) {
  constexpr std::size_t lines = 6, most = 1000;
  auto at = text.size();
  for (std::size_t n = 0; n <= lines && at != std::string::npos && at > 0; ++n) at = text.rfind('\n', at - 1);
  auto end = at == std::string::npos || at == 0 ? text : text.substr(at + 1);
  if (end.size() > most) end = "…" + end.substr(end.size() - most);
  while (!end.empty() && end.back() == '\n') end.pop_back();
  return end;
}

/// An environment with these variables in place of its own of the same names.
std::vector<std::string> with_variables(std::vector<std::string> all, const std::vector<std::string>& set) {
  const auto name_of = [](const std::string& variable) { return variable.substr(0, variable.find('=')); };
  std::erase_if(all, [&](const std::string& variable) {
    return std::ranges::any_of(set, [&](const std::string& s) { return name_of(s) == name_of(variable); });
  });
  all.insert(all.end(), set.begin(), set.end());
  return all;
}

std::string filled(std::string word, const BuildResult& built) {
  const auto jobs = std::to_string(std::max(1U, std::thread::hardware_concurrency()));
  for (const auto& [name, value] : {std::pair<std::string, std::string>{"${source}", built.source},
                                    {"${out}", built.out},
                                    {"${jobs}", jobs}})
    for (auto at = word.find(name); at != std::string::npos; at = word.find(name, at + value.size()))
      word.replace(at, name.size(), value);
  return word;
}

}  // namespace

std::string cache_of(const std::string& folder) {
  const char* asked = std::getenv("ASSAY_CACHE");
  const bool elsewhere = asked != nullptr && *asked != '\0';
  const auto owned = elsewhere ? fs::absolute(asked) : fs::path(folder) / ".assay";
  return (owned / "cache").string();
}

void hide_from_git(const std::string& assay_folder) {
  const auto file = (fs::path(assay_folder) / ".gitignore").string();
  const measure::Descriptor made(open_own(file, O_WRONLY | O_CREAT | O_EXCL, 0644));
  if (made) [[maybe_unused]]
    const auto put = write(made.get(), "*\n", 2);
}

void refuse_foreign_folder(measure::Launcher& launcher, const std::string& assay_folder) {
  std::error_code unreadable;
  if (!fs::exists(assay_folder, unreadable)) return;
  const auto remedy = "remove it: rm -rf " + assay_folder;
  if (const auto why = foreign_folder(assay_folder); !why.empty())
    throw Error("this folder is not taken for Assay's: " + why, assay_folder, remedy);
  try {
    if (!Git(launcher, {}).is_tracked(assay_folder)) return;
  } catch (const Error&) {  // without git there is no repository that it can have come with
    return;
  }
  throw Error("this folder came with the repository, so that what lies in it is not trusted", assay_folder,
              remedy + ", and git rm -r --cached it");
}

std::vector<std::string> programs_of(const BuildResult& built, std::size_t most) {
  std::vector<std::string> found;
  std::error_code failed;
  fs::recursive_directory_iterator at(built.out, failed), end;
  for (; !failed && at != end; at.increment(failed)) {
    if (at->is_directory(failed) && at->path().filename() == "CMakeFiles") at.disable_recursion_pending();
    if (at->is_regular_file(failed) &&
        (at->status(failed).permissions() & fs::perms::owner_exec) != fs::perms::none)
      found.push_back(at->path().lexically_relative(built.out).string());
  }
  std::ranges::sort(found);
  if (found.size() > most) found.resize(most);
  return found;
}

BuildResult Builder::build(const BuildRequest& order, const std::stop_token& stop) {
  std::error_code failed;
  refuse_foreign_folder(launcher_, fs::path(cache_).parent_path().string());
  make_private_folder((fs::path(cache_) / "builds").string());
  hide_from_git(fs::path(cache_).parent_path().string());
  std::optional<Repository> repository;
  BuildResult built;
  if (!order.commit.empty()) repository.emplace(launcher_, order.folder, cache_, stop);
  auto [known, fresh] = found_.try_emplace(order.folder + '\n' + order.commit + '\n' + joined(order.inputs));
  if (fresh) try {
      known->second = repository ? repository->find(order.commit, order.inputs) : find_folder(order.folder);
    } catch (...) {
      found_.erase(known);
      throw;
    }
  built.from = known->second;
  const auto toolchain = toolchain_of(launcher_, order.steps);
  const auto folder = fs::path(cache_) / "builds" / key_of(order, built.from, toolchain);
  const auto lock = lock_file(folder.string() + ".lock", stop);
  const auto root = folder / "source";
  built.source = (root / built.from.subfolder).lexically_normal().string();
  if (built.source.ends_with('/')) built.source.pop_back();
  built.out = (folder / "out").string();
  built.log = (folder / "log.txt").string();
  built.compiler = toolchain.substr(0, toolchain.find('\n'));
  if (order.capture) built.relink = (folder / "relink").string();
  const auto done = folder / "built.json";
  if (std::ifstream file(done); file) {
    const auto facts = Json::parse(file, nullptr, false);
    if (facts.is_object() && order.capture) relink::restore_originals(built.relink);
    if (facts.is_object() && facts.value("programs", "") == digest_of_build(built)) {
      built.ok = built.cached = true;
      built.seconds = facts.value("seconds", 0.0);
      built.flags = facts.value("flags", "");
      return built;
    }
    if (log_)
      log_(order.name + ": its programs in the cache are not those that were built; it is built again");
  }
  fs::remove_all(folder, failed);
  fs::create_directories(built.out, failed);
  if (failed)
    throw Error("the cache can't be written: " + failed.message(), folder.string(), "make room there");
  if (repository)
    repository->check_out(built.from, root.string());
  else
    copy_folder(built.from, root.string());
  run_steps(order, built, stop);
  if (!built.ok) return built;
  built.flags = flags_of_build(built.out, built.source, order.steps);
  if (order.capture) built.flags += built.flags.empty() ? "-ffunction-sections" : " -ffunction-sections";
  const auto draft = done.string() + ".new";
  write_whole(
      draft,
      Json{{"seconds", built.seconds}, {"flags", built.flags}, {"programs", digest_of_build(built)}}.dump() +
          "\n",
      "the cache");
  fs::rename(draft, done, failed);
  if (failed)
    throw Error("the cache can't be written: " + failed.message(), done.string(), "make room there");
  return built;
}

void Builder::run_steps(const BuildRequest& order, BuildResult& built, const std::stop_token& stop) {
  std::ofstream log(built.log, std::ios::binary);
  std::size_t number = 0;
  std::vector<std::string> capturing;
  if (order.capture) try {
      const auto links = relink::links_in(built.relink);
      std::error_code failed;
      fs::create_directories(links, failed);
      capturing = relink::capturing_environment(relink::shim_folder(cache_ + "/shim"), links);
    } catch (const Error& error) {  // it is built all the same; that no link was seen is reported then
      log << "# " << error.what() << "\n";
    }
  for (const auto& step : order.steps) {
    measure::Command command{.directory = built.source, .timeout = order.timeout};
    for (const auto& word : step) command.arguments.push_back(filled(word, built));
    command.environment = with_variables(environment_without_git(), capturing);
    const auto shown = joined(command.arguments);
    ++number;
    if (log_)
      log_("building " + order.name + ", step " + std::to_string(number) + " of " +
           std::to_string(order.steps.size()) + ": " + joined(step));
    log << "$ " << shown << "\n" << std::flush;
    const auto fails = [&](const std::string& how, const std::string& output) {
      log << "# " << how << "\n";
      const auto end = end_of(output);
      built.why = "it does not build: step " + std::to_string(number) + " of " +
                  std::to_string(order.steps.size()) + " " + how + " (" + joined(step) + ")" +
                  (end.empty() ? "" : "\n" + end);
    };
    try {
      command.program = measure::find_program(command.arguments.front(), built.source);
    } catch (const Error& error) {
      return fails("can't be run: " + error.problem(), {});
    }
    const auto result = launcher_.run(command, stop);
    if (result.interrupted) throw Cancelled{};
    if (result.not_started) return fails("could not be started: " + *result.not_started, {});
    std::string output(result.out->head());
    output += result.err->head();
    log << output << std::flush;
    built.seconds += result.wall;
    if (result.lost) return fails("could not be finished: " + *result.lost, output);
    if (result.timed_out) return fails("took longer than " + duration_text(order.timeout), output);
    if (result.signal != 0) return fails("ended by signal " + std::to_string(result.signal), output);
    if (result.exit_status != 0)
      return fails("ended with exit status " + std::to_string(result.exit_status), output);
  }
  built.ok = true;
}

}  // namespace assay::build
