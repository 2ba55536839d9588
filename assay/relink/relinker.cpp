#include "assay/relink/relinker.hpp"

#include <algorithm>
#include <chrono>
#include <deque>
#include <filesystem>
#include <map>
#include <utility>

#include "assay/measure/file_io.hpp"
#include "assay/measure/program_file.hpp"
#include "assay/model/error.hpp"

namespace assay::relink {
namespace fs = std::filesystem;
namespace {

/// Files that go with this object, also where a stop request is thrown.
class Temporaries {
 public:
  Temporaries() = default;
  Temporaries(const Temporaries&) = delete;
  Temporaries& operator=(const Temporaries&) = delete;
  ~Temporaries() {
    std::error_code ignored;
    for (const auto& file : files_) fs::remove(file, ignored);
  }
  const std::string& add(std::string file) { return files_.emplace_back(std::move(file)); }

 private:
  std::deque<std::string> files_;  // references stay good
};

std::string first_line(const std::string& text) { return text.substr(0, text.find('\n')); }

/// Takes away what would write files of the user's once more, and puts the linker's own output aside.
std::vector<std::string> for_another_output(const CapturedLink& link, const std::string& output) {
  std::vector<std::string> arguments;
  for (std::size_t i = 0; i < link.arguments.size(); ++i) {
    const auto& word = link.arguments[i];
    const bool takes_next = i + 1 < link.arguments.size();
    if ((word == "-o" || word == "--output" || word == "-Map" || word == "--Map" ||
         word == "-dependency-file" || word == "--dependency-file") &&
        takes_next) {
      ++i;
      continue;
    }
    const auto is = [&](const char* beginning) { return word.starts_with(beginning); };
    if (is("--output=") || is("-Map=") || is("--Map=") || is("--dependency-file=") || is("-dependency-file="))
      continue;
    if (is("-o") && word.size() > 2 && word[1] == 'o' && !is("-omagic")) continue;
    if (is("-plugin-opt=-fresolution="))
      arguments.push_back("-plugin-opt=-fresolution=" + output + ".resolution");
    else
      arguments.push_back(word);
  }
  arguments.insert(arguments.end(), {"-o", output});
  return arguments;
}

/// Where pieces stand, by object and section, from the start of .text.
std::map<std::pair<std::string, std::string>, std::uint64_t> places_in(const CodeMap& map) {
  std::map<std::pair<std::string, std::string>, std::uint64_t> places;
  for (const auto& piece : pieces_of(map)) places[{piece.pattern, piece.section}] = piece.address - map.start;
  return places;
}

bool has_script(const CapturedLink& link) {
  return std::ranges::any_of(link.arguments, [](const std::string& word) {
    return word == "-T" || word.starts_with("-T/") || word == "--script" || word.starts_with("--script=") ||
           word == "-dT" ||
           (word.starts_with("-T") && !word.starts_with("-Ttext") && !word.starts_with("-Tdata") &&
            !word.starts_with("-Tbss") && word.size() > 2);
  });
}

}  // namespace

Relinker::Relinker(CapturedLink link, measure::Launcher& launcher, std::string folder)
    : link_(std::move(link)), launcher_(launcher), folder_(std::move(folder)) {}

std::size_t Relinker::project_pieces() const {
  return static_cast<std::size_t>(std::ranges::count_if(known_.pieces, [](const CodePiece& piece) {
    return !piece.pattern.starts_with("\"/usr/") && !piece.pattern.starts_with("\"/lib");
  }));
}

Relinker::Ran Relinker::run(std::vector<std::string> arguments, const std::string& output,
                            const std::stop_token& stop) const {
  measure::Command command{.program = link_.linker, .directory = link_.directory, .timeout = 3600};
  command.arguments = std::move(arguments);
  command.arguments.insert(command.arguments.begin(), link_.linker);
  command.environment = link_.environment;
  // The compiler proper of link-time optimisation gets the same as then.
  command.environment->push_back("ASSAY_SECTIONS=1");
  for (const char* name : {"HOME", "USER"}) command.environment->push_back(name);
  const auto result = launcher_.run(command, stop);
  std::error_code ignored;
  fs::remove(output + ".resolution", ignored);
  if (result.interrupted) throw Cancelled{};
  if (result.not_started) return {"it can't be started: " + *result.not_started, {}};
  if (result.signal != 0 || result.exit_status != 0) {
    const auto error = std::string(result.err->head());
    return {"it ended with " +
                (result.signal != 0 ? "signal " + std::to_string(result.signal)
                                    : "exit status " + std::to_string(result.exit_status)) +
                (error.empty() ? "" : ": " + first_line(error)),
            std::string(result.out->head())};
  }
  return {{}, std::string(result.out->head())};
}

std::string Relinker::verify(const std::stop_token& stop) {
  std::error_code failed;
  fs::create_directories(folder_, failed);
  if (failed) return "no files can be made in " + folder_ + ": " + failed.message();
  const auto file = folder_ + "/" + measure::digest_of(link_.output + "\n" + link_.digest).substr(0, 16);
  if (auto known = read_properties(file)) {
    known_ = std::move(*known);
    return {};
  }
  auto problem = inspect(stop);
  if (problem.empty()) save_properties(known_, file);
  return problem;
}

std::string Relinker::inspect(const std::stop_token& stop) {
  known_.linker = first_line(run({"--version"}, folder_ + "/none", stop).out);
  const bool is_gnu = known_.linker.starts_with("GNU ld"), is_gold = known_.linker.starts_with("GNU gold"),
             is_lld = known_.linker.find("LLD") != std::string::npos;
  if (!is_gnu && !is_gold && !is_lld)
    return "its linker is not known: " + (known_.linker.empty() ? link_.linker : known_.linker);
  known_.own_script = has_script(link_);
  known_.method = is_gnu && !known_.own_script ? LayoutMethod::common : LayoutMethod::shuffled;
  known_.shuffler = known_.own_script || is_gnu ? ShuffleMethod::gaps_only
                    : is_gold                   ? ShuffleMethod::gold
                                                : ShuffleMethod::lld;
  Temporaries files;
  const auto &trial = files.add(folder_ + "/trial"), &map = files.add(trial + ".map");
  auto arguments = for_another_output(link_, trial);
  arguments.push_back("-Map=" + map);
  const auto start = std::chrono::steady_clock::now();
  const auto again = run(std::move(arguments), trial, stop);
  known_.seconds = std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count();
  if (!again.problem.empty()) return "linking it again fails: " + again.problem;
  if (measure::digest_of_file(trial) != link_.digest) return "linking it again does not give the same bytes";
  const auto map_text = measure::content_of(map);
  if (known_.method == LayoutMethod::common) return find_pieces(map_text, trial, stop);
  known_.section_names = gold_section_names(map_text);
  return {};
}

std::string Relinker::find_pieces(const std::string& map_text, const std::string& trial,
                                  const std::stop_token& stop) {
  known_.pieces = pieces_of(read_code_map(map_text));
  if (known_.pieces.empty()) return "its linker's map tells of no code";
  // The standard script depends on the options, and on no input.
  std::vector<std::string> options;
  for (auto& word : for_another_output(link_, trial))
    if (std::ranges::find(link_.kept, word) == link_.kept.end() && !word.starts_with("-l"))
      options.push_back(std::move(word));
  options.emplace_back("--verbose");
  const auto output = run(std::move(options), trial, stop).out;
  const std::string rule(50, '=');
  const auto begin = output.find(rule), end = output.find(rule, begin + rule.size());
  if (begin == std::string::npos || end == std::string::npos) return "its linker does not tell its script";
  known_.script = output.substr(begin + rule.size(), end - begin - rule.size());
  const auto spread = probe_addresses(known_.pieces);
  CodeMap map;
  if (auto problem = link_common(spread, trial, &map, stop); !problem.empty()) return problem;
  const auto places = places_in(map);
  for (auto& piece : known_.pieces) {
    const auto at = places.find({piece.pattern, piece.section});
    if (at == places.end()) return "its linker leaves out " + piece.section + " when a place is given for it";
    piece.alignment = alignment_at(at->second);
  }
  return {};
}

std::string Relinker::link_common(const AddressPlan& slots, const std::string& to, CodeMap* map,
                                  const std::stop_token& stop) const {
  const auto script = script_with(known_.script, known_.pieces, slots);
  if (script.empty()) return "its linker's script is of an unknown form";
  Temporaries files;
  const auto &file = files.add(to + ".script"), &map_file = files.add(to + ".map");
  if (!measure::write_file(file, script)) return "no file can be written: " + file;
  auto arguments = for_another_output(link_, to);
  arguments.insert(arguments.end(), {"-T", file, "-Map=" + map_file});
  const auto ran = run(std::move(arguments), to, stop);
  const auto laid_out = read_code_map(measure::content_of(map_file));
  if (!ran.problem.empty()) return "its linker refuses another layout: " + ran.problem;
  if (map != nullptr) {
    *map = laid_out;
    return {};
  }
  const auto places = places_in(laid_out);
  for (const auto& piece : known_.pieces) {
    const auto at = places.find({piece.pattern, piece.section});
    if (at == places.end() || at->second != slots.at(piece.key))
      return "its linker puts " + piece.section + " to another place than the one given";
  }
  return {};
}

std::string Relinker::assemble(const CodeGaps& gaps, const std::string& to,
                               const std::stop_token& stop) const {
  measure::Command command{.directory = link_.directory, .timeout = 60};
  try {
    command.program = measure::find_program("as", link_.directory);
  } catch (const Error& error) {
    return "gaps can't be made: " + error.problem();
  }
  Temporaries files;
  const auto& source = files.add(to + ".s");
  if (!measure::write_file(source, gaps.source)) return "no file can be written: " + source;
  command.arguments = {"as", "-o", to, source};
  const auto result = launcher_.run(command, stop);
  if (result.interrupted) throw Cancelled{};
  if (result.not_started || result.signal != 0 || result.exit_status != 0)
    return "gaps can't be made: " +
           (result.not_started ? *result.not_started : first_line(std::string(result.err->head())));
  return {};
}

std::string Relinker::link_shuffled(std::uint64_t seed, const std::string& to,
                                    const std::stop_token& stop) const {
  constexpr std::size_t gaps_among_sections = 8;
  std::vector<std::string> arguments;
  Temporaries files;
  const auto add_gaps = [&](std::size_t first, std::size_t count) {
    const auto gaps = draw_gaps(first, count, seed);
    const auto& object = files.add(to + ".gap" + std::to_string(first) + ".o");
    for (const auto& symbol : gaps.symbols) arguments.push_back("--undefined=" + symbol);
    arguments.push_back(object);
    return assemble(gaps, object, stop);
  };
  std::size_t objects = 0;
  for (const auto& word : for_another_output(link_, to)) {
    const bool is_object = std::ranges::find(link_.kept, word) != link_.kept.end() && word.ends_with(".o");
    if (known_.shuffler == ShuffleMethod::gaps_only && is_object)
      if (auto problem = add_gaps(objects++, 1); !problem.empty()) return problem;
    arguments.push_back(word);
  }
  if (known_.shuffler != ShuffleMethod::gaps_only)
    if (auto problem = add_gaps(0, gaps_among_sections); !problem.empty()) return problem;
  if (known_.shuffler == ShuffleMethod::lld)
    arguments.push_back("--shuffle-sections=.text*=" + std::to_string(seed % 2147483647U + 1));
  if (known_.shuffler == ShuffleMethod::gold) {
    const auto& order = files.add(to + ".order");
    if (!measure::write_file(order, shuffled_lines(known_.section_names, seed)))
      return "no file can be written: " + order;
    arguments.push_back("--section-ordering-file=" + order);
  }
  const auto ran = run(std::move(arguments), to, stop);
  return ran.problem.empty() ? std::string() : "its linker refuses another layout: " + ran.problem;
}

std::string Relinker::link(const AddressPlan& slots, std::uint64_t seed, const std::string& to,
                           const std::stop_token& stop) const {
  return known_.method == LayoutMethod::common ? link_common(slots, to, nullptr, stop)
                                               : link_shuffled(seed, to, stop);
}

}  // namespace assay::relink
