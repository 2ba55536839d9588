#include "assay/relink/layout_set.hpp"

#include <fcntl.h>
#include <sys/file.h>

#include <algorithm>
#include <atomic>
#include <charconv>
#include <chrono>
#include <filesystem>
#include <map>
#include <mutex>
#include <optional>
#include <thread>
#include <utility>

#include "assay/measure/file_io.hpp"
#include "assay/model/design.hpp"
#include "assay/model/error.hpp"
#include "assay/model/own_files.hpp"
#include "assay/relink/captured_links.hpp"
#include "assay/relink/code_map.hpp"

namespace assay::relink {
namespace fs = std::filesystem;
namespace {

/// Whether a path lies below a folder; both exist.
bool is_below(const fs::path& path, const fs::path& folder) {
  const auto relative = path.lexically_relative(folder);
  return !relative.empty() && *relative.begin() != "..";
}

/// Keeps other processes from varying the layouts of a build, as long as the result lives; this one may do so more than
/// once. Throws Error(in_use) where another does.
std::shared_ptr<const measure::Descriptor> locked(const std::string& folder) {
  static std::mutex guard;
  static std::map<std::string, std::weak_ptr<const measure::Descriptor>> mine;
  const std::scoped_lock lock(guard);
  auto& known = mine[folder];
  if (auto file = known.lock()) return file;
  const auto path = folder + "/lock";
  auto file = std::make_shared<const measure::Descriptor>(model::open_own(path, O_RDWR | O_CREAT));
  if (!*file) throw Error("the cache can't be written here", path, "look at the folder's permissions");
  if (flock(file->get(), LOCK_EX | LOCK_NB) != 0)
    throw Error("the layouts of this build are in use by another process", folder,
                "wait for its end, or measure in another folder, which has builds of its own",
                Error::Code::in_use);
  known = file;
  return file;
}

}  // namespace

struct LayoutSet::Variant {
  Program what;
  std::string place;  ///< the file itself, symbolic links followed
  std::string own;    ///< as it was built
  std::optional<relink::Relinker> relinker;
  Status status;
  std::size_t number = 0;  ///< among the programs
  std::string files;       ///< its layouts' path but for their number
  bool is_library = false;
};

LayoutSet::LayoutSet(std::vector<Program> programs, const Rule& rule, measure::Launcher& launcher,
                     std::function<void(const std::string&)> log, const std::stop_token& stop)
    : count_(rule.count), seed_(rule.seed), keeps_(rule.keeps), launcher_(launcher), log_(std::move(log)) {
  for (auto& program : programs) add(std::move(program), stop);
  for (const auto& varied : programs_) {
    if (!varied->is_library) report(*varied);
    if (varied->status.layouts > 0) choose_paths(*varied);
  }
}

/// A program, or a library of one, and after it the libraries that it names.
void LayoutSet::add(Program program, const std::stop_token& stop, bool is_library) {
  std::error_code failed;
  const auto place = fs::weakly_canonical(program.program, failed).string();
  if (std::ranges::any_of(programs_, [&](const auto& varied) { return varied->place == place; })) return;
  auto& varied = *programs_.emplace_back(std::make_unique<Variant>());
  varied.what = std::move(program);
  varied.place = place;
  varied.number = programs_.size();
  varied.is_library = is_library;
  for (const auto& library : prepare(varied, stop)) {
    // Of one name they are compared, as the programs are that they belong to.
    const auto name = fs::path(library).filename().string();
    const auto group = std::to_string(varied.what.group) + "/" + name;
    const int number = -1 - static_cast<int>(library_groups_.size());
    add({.candidate = varied.what.candidate,
         .program = library,
         .folder = varied.what.folder,
         .group = library_groups_.try_emplace(group, number).first->second},
        stop, true);
  }
}

void LayoutSet::report(Variant& program) const {
  auto& status = program.status;
  if (status.layouts == 0) {
    log_(program.what.candidate + ": its layout is one build's: " + status.how);
    return;
  }
  std::size_t varied = 0, kept = 0;
  for (const auto& other : programs_)
    if (other->is_library && other->what.candidate == program.what.candidate)
      ++(other->status.layouts > 0 ? varied : kept);
  const auto remark = [&](const std::string& text) { status.remarks += "; " + text; };
  if (varied > 0)
    remark(std::to_string(varied) + (varied == 1 ? " shared library" : " shared libraries") + " with it");
  if (kept > 0)
    remark(std::to_string(kept) + (kept == 1 ? " shared library" : " shared libraries") +
           " of the project keep" + (kept == 1 ? "s its" : " their") + " layout");
  log_(program.what.candidate + ": linked anew for each round, " + status.how + " layouts" + status.remarks);
}

LayoutSet::~LayoutSet() {
  try {
    restore();
  } catch (const Error&) {
    return;  // the next campaign puts them back
  }
  std::error_code ignored;
  for (const auto& varied : programs_)
    if (!keeps_ && !varied->files.empty()) {
      for (int layout = 0; layout < count_; ++layout) fs::remove(file_of(*varied, layout), ignored);
      fs::remove(fs::path(varied->files).parent_path(), ignored);  // if it is empty
    }
}

/// Returns the shared libraries of the project that it names.
std::vector<std::string> LayoutSet::prepare(Variant& varied, const std::stop_token& stop) {
  auto& status = varied.status;
  const auto& folder = varied.what.folder;
  std::error_code failed;
  const auto name = fs::path(varied.what.program).filename().string();
  const auto build = fs::weakly_canonical(folder, failed).parent_path();
  if (!is_below(varied.place, build)) {
    status.how = name + " is not within its build";
    return {};
  }
  const auto links = relink::captured_links(relink::links_in(folder));
  const auto* link = relink::link_of(links, varied.place);
  if (link == nullptr) {
    const auto problems = relink::capture_problems(relink::links_in(folder));
    status.how = problems.empty()
                     ? "no link of " + name +
                           " was seen (--ld-path, -B, Go's own linker, Rust's own lld, or a script?)"
                     : problems.substr(0, problems.find('\n'));
    return {};
  }
  varied.relinker.emplace(*link, launcher_, folder + "/work");
  status.how = varied.relinker->verify(stop);
  if (!status.how.empty()) return {};
  locks_.push_back(locked(folder));
  varied.own = relink::back_up_original(folder, varied.place);
  status.layouts = count_;
  const bool common = varied.relinker->method() == relink::LayoutMethod::common;
  status.how = common ? layout_common : layout_shuffled;
  const auto remark = [&](const std::string& text) { status.remarks += "; " + text; };
  if (!common)
    remark(varied.relinker->linker() +
           (varied.relinker->has_own_script() ? " with a script of its own" : "") +
           " accepts no place for a function: the layouts are drawn for each program by itself, expect "
           "a wider spread");
  else if (const auto pieces = varied.relinker->project_pieces(); pieces < 2)
    remark(pieces == 1 ? "1 code section: only its start varies" : "it has no code of its own that varies");
  return relink::libraries_of(*link, build.string());
}

LayoutSet::Status LayoutSet::status(const std::string& program) const {
  std::error_code failed;
  const auto place = fs::weakly_canonical(program, failed).string();
  for (const auto& varied : programs_)
    if (varied->place == place) return varied->status;
  return {.layouts = 0, .how = "it is not built here", .remarks = {}};
}

bool LayoutSet::any() const {
  return std::ranges::any_of(programs_, [](const auto& varied) { return varied->status.layouts > 0; });
}

double LayoutSet::seconds() const {
  double all = 0;
  std::size_t varied = 0;
  for (const auto& program : programs_)
    if (program->status.layouts > 0) {
      all += program->relinker->seconds();
      ++varied;
    }
  const auto cores = std::max<std::size_t>(1, std::thread::hardware_concurrency());
  return varied == 0 ? 0 : all / static_cast<double>(std::min(cores, varied));
}

std::uint64_t LayoutSet::seed_of(int layout) const {
  const auto digest = measure::digest_of("layout\n" + std::to_string(seed_) + "\n" + std::to_string(layout));
  std::uint64_t seed = 0;
  std::from_chars(digest.data(), digest.data() + 16, seed, 16);
  return seed;
}

/// Where its layouts lie. Those of other seeds untouched for a day go.
void LayoutSet::choose_paths(Variant& varied) const {
  // The programs that it shares its layouts with are part of what a layout is.
  std::string text = varied.place + "\n";
  for (const auto& other : programs_)
    if (other->what.group == varied.what.group && other->status.layouts > 0)
      for (const auto& piece : other->relinker->pieces())
        text += piece.key.name + " " + piece.key.object + " " + std::to_string(piece.key.ordinal) + " " +
                std::to_string(piece.size) + " " + std::to_string(piece.alignment) + "\n";
  const auto mine = fs::path(relink::layouts_in(varied.what.folder)) /
                    measure::digest_of(std::to_string(seed_)).substr(0, 8);
  varied.files = (mine / measure::digest_of(text).substr(0, 16)).string();
  constexpr auto day = std::chrono::hours(24);
  std::error_code failed;
  fs::create_directories(mine, failed);
  for (fs::directory_iterator at(mine.parent_path(), failed), end; !failed && at != end; at.increment(failed))
    if (std::error_code ignored;
        at->path() != mine &&
        fs::file_time_type::clock::now() - fs::last_write_time(at->path(), ignored) > day)
      fs::remove_all(at->path(), ignored);
}

std::string LayoutSet::file_of(const Variant& varied, int layout) {
  return varied.files + "." + std::to_string(layout);
}

void LayoutSet::make(int first, int end, const std::stop_token& stop) {
  struct Job {
    const Variant* varied;
    int layout;
    std::string to;
  };
  std::vector<Job> jobs;
  for (const auto& varied : programs_)
    for (int layout = first; layout < end && varied->status.layouts > 0; ++layout)
      if (auto to = file_of(*varied, layout); !fs::exists(to))
        jobs.push_back({varied.get(), layout, std::move(to)});
  std::map<std::pair<int, int>, relink::AddressPlan> slots;  // by group and layout
  for (const auto& job : jobs) {
    const auto group = job.varied->what.group;
    if (slots.contains({group, job.layout})) continue;
    std::vector<std::vector<relink::CodePiece>> together;
    for (const auto& other : programs_)
      if (other->what.group == group && other->status.layouts > 0)
        together.push_back(other->relinker->pieces());
    slots[{group, job.layout}] = relink::shared_addresses(together, seed_of(job.layout));
  }
  std::atomic<std::size_t> next = 0;
  std::mutex guard;
  std::string problem, place;
  bool stopped = false;
  const auto work = [&] {
    for (std::size_t i = 0; (i = next++) < jobs.size();) {
      const auto& [varied, layout, to] = jobs[i];
      const auto draft = to + ".new";
      std::string why;
      try {
        // Each program by itself draws its own shuffled layouts.
        const auto seed = seed_of(layout) + varied->number;
        why = varied->relinker->link(slots.at({varied->what.group, layout}), seed, draft, stop);
        if (why.empty()) fs::rename(draft, to);
      } catch (const Cancelled&) {
        const std::lock_guard lock(guard);
        stopped = true;
      } catch (const std::exception& error) {
        why = error.what();
      }
      std::error_code ignored;
      fs::remove(draft, ignored);  // it is there still where the link ended early
      const std::lock_guard lock(guard);
      if (!why.empty()) {
        problem = why;
        place = varied->what.candidate;
      }
      if (stopped || !problem.empty()) return;
    }
  };
  {
    std::vector<std::jthread> workers;
    const auto cores = std::max<std::size_t>(1, std::thread::hardware_concurrency());
    for (std::size_t i = 0; i < std::min(cores, jobs.size()); ++i) workers.emplace_back(work);
  }
  if (stopped) throw Cancelled{};
  if (!problem.empty())
    throw Error("a layout can't be linked: " + problem, place,
                "make room on the disk, or measure without relink", Error::Code::measuring);
}

void LayoutSet::install(int round, const std::stop_token& stop) {
  if (!any()) return;
  constexpr int at_once = 8;
  const int layout = layout_of_round(round, count_);
  while (made_ <= layout) {
    const int end = std::min(made_ + at_once, count_);
    make(made_, end, stop);
    made_ = end;
  }
  for (const auto& varied : programs_)
    if (varied->status.layouts > 0) relink::install(file_of(*varied, layout), varied->place);
}

void LayoutSet::restore() {
  for (const auto& varied : programs_)
    if (!varied->own.empty()) relink::install(varied->own, varied->place);
}

}  // namespace assay::relink
