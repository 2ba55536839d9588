#include <algorithm>
#include <array>
#include <iterator>
#include <map>
#include <set>
#include <sstream>
#include <string_view>
#include <utility>

#include "assay/judge/notes.hpp"
#include "assay/metrics/catalogue.hpp"

namespace assay::judge {
namespace {

std::set<std::string> words_of(const std::string& text) {
  std::istringstream in(text);
  return {std::istream_iterator<std::string>(in), {}};
}

bool declared(const Candidate& candidate, const std::string& word) {
  return std::ranges::any_of(candidate.distinguishing_arguments, [&](const auto& option) {
    return option.find(word) != std::string::npos || option.find(word.substr(1)) != std::string::npos;
  });
}

/// Whether two programs are builds that a user could have built alike: not where their names differ and one
/// of them is an interpreter, or installed with the system.
bool are_own_builds(const Provenance& a, const Provenance& b) {
  const auto name = [](const std::string& exe) { return exe.substr(exe.rfind('/') + 1); };
  if (name(a.exe) == name(b.exe)) return true;
  constexpr std::array<std::string_view, 24> interpreters = {
      "python", "node", "perl", "ruby",    "php",  "lua",  "luajit", "java",
      "bash",   "sh",   "dash", "zsh",     "deno", "bun",  "guile",  "tclsh",
      "julia",  "R",    "gawk", "Rscript", "mawk", "pypy", "dotnet", "erl"};
  const auto is_foreign = [&](const Provenance& from) {
    auto word = name(from.exe);
    word.resize(word.find_last_not_of("0123456789.") + 1);  // of python3.11
    return from.exe.starts_with("/usr/") || from.exe.starts_with("/bin/") ||
           std::ranges::find(interpreters, word) != interpreters.end();
  };
  return !is_foreign(a) && !is_foreign(b);
}

bool is_level(const std::string& word) { return word.starts_with("-O"); }

std::set<std::string> levels_of(const std::set<std::string>& flags) {
  std::set<std::string> levels;
  std::ranges::copy_if(flags, std::inserter(levels, levels.end()), is_level);
  return levels;
}

/// The options that one has and the other has not, up to a few.
std::string only_in(const std::set<std::string>& these, const std::set<std::string>& others,
                    const Candidate& candidate) {
  constexpr std::size_t most = 4;
  std::string text;
  std::size_t count = 0;
  for (const auto& word : these) {
    if (others.contains(word) || is_level(word) || word.starts_with("-g") || declared(candidate, word))
      continue;
    if (++count <= most) text += (text.empty() ? "" : " ") + word;
  }
  return count > most ? text + " …" : text;
}

std::string joined(const std::set<std::string>& words) {
  std::string text;
  for (const auto& word : words) text += (text.empty() ? "" : " and ") + word;
  return text;
}

Note warning(NoteKind kind, CandidateId candidate, std::string quoted, std::string quoted_other) {
  return {.kind = kind,
          .subject = candidate,
          .level = Note::Level::warning,
          .quoted = std::move(quoted),
          .quoted_other = std::move(quoted_other)};
}

void compare_flags(const Design& design, CandidateId id, std::vector<Note>& notes) {
  const auto& candidate = design.candidates[id];
  const auto& baseline = design.candidates[*candidate.baseline];
  if (candidate.from.flags.empty() || baseline.from.flags.empty()) return;
  const auto mine = words_of(candidate.from.flags), its = words_of(baseline.from.flags);
  const auto my_levels = levels_of(mine), its_levels = levels_of(its);
  const bool meant = std::ranges::all_of(my_levels, [&](const auto& w) { return declared(candidate, w); });
  if (my_levels != its_levels && !my_levels.empty() && !its_levels.empty() && !meant)
    notes.push_back(warning(NoteKind::other_optimisation, id, joined(my_levels), joined(its_levels)));
  auto more = only_in(mine, its, candidate), less = only_in(its, mine, candidate);
  if (!more.empty() || !less.empty())
    notes.push_back(warning(NoteKind::other_options, id, std::move(more), std::move(less)));
}

}  // namespace

std::optional<NoteKind> same_program_kind(const Design& design, const Candidate& candidate) {
  if (!candidate.baseline || candidate.twin_of || candidate.from.exe_digest.empty()) return {};
  const auto& baseline = design.candidates[*candidate.baseline];
  const auto &mine = candidate.from, &its = baseline.from;
  const bool same_arguments = baseline.distinguishing_arguments == candidate.distinguishing_arguments;
  if (mine.exe_digest != its.exe_digest) return {};
  // An interpreter is no commit's: what it is given to run may differ.
  const bool is_built = mine.exe.find("${") != std::string::npos;
  if (!mine.commit.empty() && same_arguments) {
    if (mine.commit == its.commit) return NoteKind::same_commit;
    return is_built ? std::optional(NoteKind::same_commit_program) : std::nullopt;
  }
  if (its.exe != mine.exe) return NoteKind::same_program;
  return same_arguments ? std::optional(NoteKind::same_command) : std::nullopt;
}

std::vector<Note> build_differences(const Design& design) {
  std::vector<Note> notes;
  std::map<std::pair<CandidateId, std::string>, Note> namesakes;  // by baseline and identity
  const bool serves = metrics::find(design.metrics, metrics::MetricKind::request_rate).has_value();
  for (const auto id : design.candidates.ids()) {
    const auto& candidate = design.candidates[id];
    if (!candidate.baseline || candidate.twin_of) continue;
    const auto &mine = candidate.from, &its = design.candidates[*candidate.baseline].from;
    if (mine.exe_digest.empty() && !mine.commit.empty()) continue;  // was not built
    if (are_own_builds(mine, its)) {
      if (!mine.compiler.empty() && !its.compiler.empty() && mine.compiler != its.compiler)
        notes.push_back(warning(NoteKind::other_compiler, id, mine.compiler, its.compiler));
      compare_flags(design, id, notes);
    }
    // One program with other arguments may well identify itself the same; of a server it shows which program
    // answers.
    const bool may_well =
        mine.exe_digest == its.exe_digest && (!serves || same_program_kind(design, candidate));
    if (mine.identity.empty() || mine.identity != its.identity || may_well) continue;
    const auto [known, fresh] =
        namesakes.try_emplace({*candidate.baseline, mine.identity},
                              Note{.kind = NoteKind::same_identity, .subject = id, .quoted = mine.identity});
    if (!fresh) known->second.also_candidates.push_back(id);
  }
  for (auto& [who, note] : namesakes) notes.push_back(std::move(note));
  return notes;
}

std::vector<Note> build_notes(const Design& design) {
  std::vector<Note> notes;
  for (const auto id : design.candidates.ids())
    if (const auto kind = same_program_kind(design, design.candidates[id]))
      notes.push_back(warning(*kind, id, {}, {}));
  std::ranges::move(build_differences(design), std::back_inserter(notes));
  return notes;
}

}  // namespace assay::judge
