#include "assay/build/repository.hpp"

#include <unistd.h>

#include <algorithm>
#include <filesystem>
#include <sstream>
#include <utility>
#include <vector>

#include "assay/measure/file_io.hpp"
#include "assay/model/error.hpp"
#include "assay/model/own_files.hpp"
#include "assay/model/text.hpp"

namespace assay::build {
namespace fs = std::filesystem;
namespace {

/// Whether a path leads to something below where it starts.
bool stays_below(const std::string& path) {
  const fs::path given(path);
  return !path.empty() && !given.is_absolute() && std::ranges::find(given, fs::path("..")) == given.end();
}

/// A text as git reads it back in its files: in quotes, with a backslash before what means something.
std::string quoted(const std::string& text) {
  std::string out = "\"";
  for (const char c : text) {
    if (c == '"' || c == '\\') out += '\\';
    if (c == '\n')
      out += "\\n";
    else
      out += c;
  }
  return out + '"';
}

}  // namespace

Repository::Repository(measure::Launcher& launcher, const std::string& folder, const std::string& cache,
                       std::stop_token stop)
    : git_(launcher, std::move(stop)) {
  std::error_code unreadable;
  if (!fs::is_directory(folder, unreadable)) throw Error("there is no such folder", folder);
  const auto found = git_.run(folder, {"rev-parse", "--show-toplevel"});
  if (found.status != 0) {
    if (found.err.find("not a git repository") == std::string::npos)
      throw Error("git refuses this repository: " + found.err, folder);
    throw Error("this is not in a git repository", folder,
                "commits, and the working tree (.), need one; other candidates have an exe or a source");
  }
  top_ = found.out;
  common_ = git_.text(folder, {"rev-parse", "--path-format=absolute", "--git-common-dir"});
  within_ = git_.text(folder, {"rev-parse", "--show-prefix"});
  own_ = (fs::path(cache) / "git" / (measure::digest_of(common_).substr(0, 16) + ".git")).string();
  const auto lock = lock_cache();
  if (!fs::exists(fs::path(own_) / "HEAD", unreadable)) {
    fs::create_directories(own_);
    git_.text(own_, {"init", "--quiet", "--bare", "--template=",
                     "--object-format=" + git_.text(folder, {"rev-parse", "--show-object-format"}), own_});
  }
  const auto origin = git_.run(folder, {"config", "--get", "remote.origin.url"});
  write_config(git_.text(folder, {"rev-parse", "--show-object-format"}),
               origin.status == 0 ? origin.out : top_);
  fs::create_directories(fs::path(own_) / "objects/info");
  write_whole(own_ + "/objects/info/alternates", quoted(common_ + "/objects") + "\n", "the cache");
  if (fs::exists(common_ + "/shallow", unreadable))
    write_whole(own_ + "/shallow", measure::content_of(common_ + "/shallow"), "the cache");
  // Tags, for builds that ask git describe; and where relative submodules start from.
  git_.run(own_, {"fetch", "--quiet", "--update-shallow", common_, "+refs/tags/*:refs/tags/*"});
}

/// Several processes share the cache's repository: one at a time changes it. Locks that a killed git left are
/// removed.
measure::Descriptor Repository::lock_cache() {
  std::error_code ignored;
  fs::create_directories(fs::path(own_).parent_path(), ignored);
  auto lock = lock_file(own_ + ".lock", git_.stop());
  for (const char* left : {"config.lock", "HEAD.lock", "packed-refs.lock", "shallow.lock", "index.lock"})
    fs::remove(fs::path(own_) / left, ignored);
  for (fs::directory_iterator at(own_, ignored), end; !ignored && at != end; at.increment(ignored))
    if (at->path().filename().string().starts_with("index-of-working-tree.")) fs::remove(at->path(), ignored);
  return lock;
}

/// The whole configuration of the cache's repository: what else stood there, such as another place to fetch
/// from or a program to run, is gone.
void Repository::write_config(const std::string& object_format, const std::string& origin) {
  std::string text =
      "[core]\n\trepositoryformatversion = 1\n\tfilemode = true\n\tbare = true\n[extensions]\n\tobjectFormat "
      "= " +
      object_format + "\n[remote \"origin\"]\n\turl = " + quoted(origin) + "\n";
  if (measure::content_of(own_ + "/config") != text) write_whole(own_ + "/config", text, "the cache");
  std::error_code ignored;
  for (const char* other : {"config.worktree", "info/attributes", "info/grafts"})
    fs::remove(fs::path(own_) / other, ignored);
}

constexpr std::size_t longest_title = 120;  // some people write whole stories

bool Repository::shallow() { return git_.text(top_, {"rev-parse", "--is-shallow-repository"}) == "true"; }

std::string Repository::commit_named(const std::string& name) {
  constexpr const char* parting = "merge-base:";
  const auto with_history = [&](std::string remedy) {
    return shallow() ? std::string(
                           "this is a shallow clone, whose history is cut off: git fetch --unshallow "
                           "brings the rest")
                     : std::move(remedy);
  };
  if (name.starts_with(parting)) {
    const auto other = name.substr(std::string(parting).size());
    const auto base = git_.run(top_, {"merge-base", "HEAD", commit_named(other)});
    if (base.status == 0) return base.out;
    throw Error("HEAD and \"" + other + "\" have no common history", name,
                with_history("name a commit instead"));
  }
  const auto found =
      git_.run(top_, {"rev-parse", "--verify", "--quiet", "--end-of-options", name + "^{commit}"});
  if (found.status == 0) return found.out;
  constexpr std::size_t full_id = 40;  // one of a working tree is known in the cache alone
  const auto kept =
      name.size() < full_id
          ? Git::Result{.status = 1, .out = {}, .err = {}}
          : git_.run(own_, {"rev-parse", "--verify", "--quiet", "--end-of-options", name + "^{commit}"});
  if (kept.status == 0) return kept.out;
  throw Error("there is no commit \"" + name + "\"", top_,
              with_history("git branch --all and git tag list the names there are"));
}

std::string Repository::tree_of(const std::string& tree, const std::vector<std::string>& inputs) {
  if (inputs.empty()) return tree;
  std::string text;
  bool any = false;
  for (const auto& input : inputs) {
    const auto found =
        git_.run(own_, {"rev-parse", "--verify", "--quiet", "--end-of-options", tree + ":" + input});
    any = any || found.status == 0;
    text += input + "=" + (found.status == 0 ? found.out : "none") + "\n";
  }
  if (!any)
    throw Error("none of [build] inputs is in this commit: " + text.substr(0, text.find('=')), top_,
                "name paths from the root of the repository");
  return "inputs " + measure::digest_of(text);
}

void Repository::drop_unchanged(std::vector<CommitFacts>& commits, const std::vector<std::string>& inputs) {
  std::string last;
  std::vector<CommitFacts> kept;
  for (std::size_t i = 0; i < commits.size(); ++i) {
    const auto tree = tree_of(git_.text(own_, {"rev-parse", commits[i].id + "^{tree}"}), inputs);
    if (i == 0 || i + 1 == commits.size() || tree != last) kept.push_back(std::move(commits[i]));
    last = tree;
  }
  commits = std::move(kept);
}

Source Repository::find(const std::string& name, const std::vector<std::string>& inputs) {
  if (name == ".") {
    auto source = snapshot();
    source.tree = tree_of(source.tree, inputs);
    return source;
  }
  Source source{.commit = commit_named(name), .subfolder = within_};
  std::istringstream facts(
      git_.text(own_, {"show", "-s", "--no-show-signature", "--format=%T%n%ct%n%h %s", source.commit}));
  std::string time;
  std::getline(facts, source.tree);
  std::getline(facts, time);
  std::getline(facts, source.title);
  source.title = printable_line(source.title, longest_title);
  source.time = std::stoll(time);
  source.tree = tree_of(source.tree, inputs);
  return source;
}

std::vector<CommitFacts> Repository::log(const std::vector<std::string>& arguments) {
  std::vector<std::string> words = {"log", "--first-parent", "--no-show-signature",
                                    "--format=%H%x00%ct%x00%P%x00%s"};
  words.insert(words.end(), arguments.begin(), arguments.end());
  std::vector<CommitFacts> commits;
  std::istringstream lines(git_.text(top_, words));
  for (std::string line; std::getline(lines, line);) {
    std::istringstream fields(line);
    CommitFacts commit;
    std::string time, parents;
    std::getline(fields, commit.id, '\0');
    std::getline(fields, time, '\0');
    std::getline(fields, parents, '\0');
    std::getline(fields, commit.subject);
    commit.subject = printable_line(commit.subject, longest_title);
    commit.time = std::stoll(time);
    std::istringstream each(parents);
    for (std::string parent; each >> parent;) commit.parents.push_back(parent);
    commits.push_back(std::move(commit));
  }
  std::ranges::reverse(commits);
  return commits;
}

std::vector<CommitFacts> Repository::line(const std::string& good, const std::string& bad) {
  const auto first = commit_named(good), last = commit_named(bad);
  auto good_one = log({"--max-count=1", first});
  if (good_one.empty()) throw Error("git says nothing of " + good, top_);
  if (first == last) return good_one;
  const auto before = [&](const std::string& a, const std::string& b) {
    return git_.run(top_, {"merge-base", "--is-ancestor", a, b}).status == 0;
  };
  if (!before(first, last)) {
    if (before(last, first))
      throw Error(bad + " comes before " + good, top_, "exchange them: the good one is the older of the two");
    const auto parting = git_.run(top_, {"merge-base", first, last});
    if (parting.status != 0)
      throw Error(
          bad + " is no descendant of " + good + ", they have no common history", top_,
          shallow()
              ? "this is a shallow clone, whose history is cut off: git fetch --unshallow brings the rest"
              : "name a commit that " + bad + " goes back to");
    throw Error(bad + " is no descendant of " + good, top_,
                "they parted at " + parting.out.substr(0, 10) + ": name that as the good one");
  }
  auto commits = log({first + ".." + last});
  // The good one may lie on a branch that was merged: the line then begins where that branch left it.
  if (!commits.empty() && (commits.front().parents.empty() || commits.front().parents.front() != first))
    throw Error(good + " is not on the line of first parents of " + bad + ", it came in by a merge", top_,
                "name one that is: git log --first-parent " + bad);
  commits.insert(commits.begin(), std::move(good_one.front()));
  return commits;
}

std::optional<std::string> Repository::fork_point(const CommitFacts& merge) {
  if (merge.parents.size() < 2) return {};
  const auto found = git_.run(top_, {"merge-base", merge.parents[0], merge.parents[1]});
  return found.status == 0 ? std::optional(found.out) : std::nullopt;
}

Source Repository::snapshot() {
  const auto lock = lock_cache();
  const auto index = own_ + "/index-of-working-tree." + std::to_string(getpid());
  std::error_code none;
  fs::copy_file(git_.text(top_, {"rev-parse", "--path-format=absolute", "--git-path", "index"}), index,
                fs::copy_options::overwrite_existing, none);
  const std::vector<std::string> aside = {"GIT_INDEX_FILE=" + index,
                                          "GIT_OBJECT_DIRECTORY=" + own_ + "/objects",
                                          "GIT_ALTERNATE_OBJECT_DIRECTORIES=" + common_ + "/objects"};
  git_.text(top_, {"add", "--all", "--", ".", ":(exclude,glob)**/.assay/**"}, aside);
  Source source{.tree = git_.text(top_, {"write-tree"}, aside), .subfolder = within_};
  const auto head = git_.run(top_, {"rev-parse", "--verify", "--quiet", "HEAD"});
  std::vector<std::string> make = {"commit-tree", source.tree, "-m", "working tree"};
  if (head.status == 0) make.insert(make.end(), {"-p", head.out});
  auto who = aside;
  for (const char* role : {"AUTHOR", "COMMITTER"})
    for (const char* what : {"NAME=assay", "EMAIL=assay", "DATE=2000-01-01T00:00:00Z"})
      who.push_back("GIT_" + std::string(role) + "_" + what);
  source.commit = git_.text(top_, make, who);
  fs::remove(index, none);
  const auto short_head = head.status == 0 ? head.out.substr(0, 7) : "nothing";
  source.title = "uncommitted edits on " + short_head;
  if (head.status == 0 && git_.text(top_, {"rev-parse", "HEAD^{tree}"}) == source.tree) {
    source.title = "no uncommitted edits on " + short_head;
    source.note = "the working tree has no uncommitted edits: it is the same as HEAD";
  }
  std::istringstream changes(git_.text(top_, {"status", "--porcelain=v2", "--untracked-files=no"}));
  for (std::string line; std::getline(changes, line);)
    if (line.starts_with("1 ") && line.size() > 9 && line[5] == 'S' && (line[7] == 'M' || line[8] == 'U'))
      source.note += (source.note.empty() ? "" : "; ") + std::string("edits within submodule ") +
                     line.substr(line.rfind(' ') + 1) + " are not part of it, its commit is";
  return source;
}

/// Takes out what git has of worktrees that it was killed while making: with one of their files empty it
/// refuses to make any. REQUIRES: the cache is locked.
void Repository::drop_damaged_worktrees() const {
  std::error_code unseen;
  std::vector<fs::path> damaged;
  for (const auto& entry : fs::directory_iterator(own_ + "/worktrees", unseen))
    for (const char* part : {"commondir", "gitdir", "HEAD"})
      if (const auto size = fs::file_size(entry.path() / part, unseen); unseen || size == 0)
        damaged.push_back(entry.path());
  for (const auto& folder : damaged) fs::remove_all(folder, unseen);
}

void Repository::check_out(const Source& source, const std::string& to) {
  const auto lock = lock_cache();
  std::error_code ignored;
  fs::remove_all(to, ignored);
  drop_damaged_worktrees();
  git_.text(own_, {"worktree", "prune"});
  // Forced twice: one that was cut off while it was made is locked.
  git_.text(own_, {"worktree", "add", "--quiet", "--force", "--force", "--detach", to, source.commit});
  // git ends well where it could not write some of the files.
  if (const auto missing = git_.text(to, {"diff-files", "--name-only"}); !missing.empty())
    throw Error("git did not write all files of " + source.commit.substr(0, 10) + ": " +
                    missing.substr(0, missing.find('\n')) + " is missing or cut off",
                to, "look at the disk it is on, and at the repository with git fsck");
  bring_submodules(to, common_ + "/modules");
}

/// Takes each submodule from where the user's repository has it, else from its address.
void Repository::bring_submodules(const std::string& worktree, const std::string& modules) {
  std::error_code ignored;
  if (!fs::exists(fs::path(worktree) / ".gitmodules", ignored)) return;
  const auto listed = git_.run(
      worktree, {"config", "--file", ".gitmodules", "-z", "--get-regexp", R"(^submodule\..*\.path$)"});
  std::istringstream entries(listed.out);
  for (std::string entry; std::getline(entries, entry, '\0');) {
    const auto end_of_key = entry.find('\n');
    if (end_of_key == std::string::npos) continue;
    const std::string key = entry.substr(0, end_of_key), path = entry.substr(end_of_key + 1);
    constexpr std::size_t before = sizeof "submodule." - 1, after = sizeof ".path" - 1;
    const auto name = key.substr(before, key.size() - before - after);
    if (!stays_below(name) || !stays_below(path))
      throw Error("submodule \"" + name + "\" leads out of its repository", worktree,
                  "its name and path must lie within it");
    const auto local = fs::path(modules) / name;
    const std::vector<std::string> update = {"submodule", "--quiet", "update", "--init", "--", path};
    if (fs::exists(local / "HEAD", ignored)) {
      std::vector<std::string> from_here = {"-c", "submodule." + name + ".url=" + local.string()};
      from_here.insert(from_here.end(), update.begin(), update.end());
      if (git_.run(worktree, from_here).status != 0) git_.text(worktree, update);
    } else {
      git_.text(worktree, update);
    }
    bring_submodules((fs::path(worktree) / path).string(), (local / "modules").string());
  }
}

}  // namespace assay::build
