#include "assay/model/passing_on.hpp"

#include <algorithm>
#include <array>
#include <vector>

namespace assay::inline v1::inline model {
namespace {

constexpr std::string_view ends_of_a_path = " \t\n\"'`,;:()[]{}<>|=";

/// "home" of "/home/ann".
std::string_view first_folder(std::string_view path) {
  if (!path.starts_with('/')) return {};
  return path.substr(1, std::min(path.find('/', 1), path.size()) - 1);
}

bool is_of_this_machine(std::string_view path, std::string_view folder) {
  constexpr std::array<std::string_view, 9> places = {"home", "root", "tmp",   "var", "opt",
                                                      "srv",  "mnt",  "media", "run"};
  const auto first = first_folder(path);
  constexpr std::array<std::string_view, 4> common = {"usr", "bin", "lib", "etc"};
  if (first.empty() || std::ranges::count(common, first) > 0) return false;
  return std::ranges::count(places, first) > 0 || first == first_folder(folder);
}

class Cutting {
 public:
  explicit Cutting(std::string folder) : folder_(std::move(folder)) {}

  void cut(std::string& text) const { text = without_folders(text, folder_); }
  void cut(std::vector<std::string>& texts) const {
    for (auto& text : texts) cut(text);
  }
  void cut(std::vector<Note>& notes) const {
    for (auto& note : notes) {
      cut(note.said);
      cut(note.said_of_other);
    }
  }
  void cut(Design& design) const {
    cut(design.title);
    cut(design.plan);
    cut(design.repeat);
    design.folder.clear();
    for (auto& candidate : design.candidates) {
      for (auto* text : {&candidate.name, &candidate.from.exe, &candidate.from.identity,
                         &candidate.from.compiler, &candidate.from.flags})
        cut(*text);
      cut(candidate.options);
    }
    for (auto& build : design.builds) {
      cut(build.steps);
      cut(build.compiler);
      cut(build.flags);
    }
    for (auto& workload : design.workloads) cut(workload.run);
    for (auto& metric : design.metrics) cut(metric.demand.missing);
  }

 private:
  std::string folder_;
};

}  // namespace

std::string without_folders(std::string_view text, std::string_view folder) {
  std::string out;
  std::size_t at = 0;
  while (at < text.size()) {
    const bool begins = at == 0 || ends_of_a_path.find(text[at - 1]) != std::string_view::npos;
    const auto end = std::min(text.find_first_of(ends_of_a_path, at), text.size());
    const auto path = text.substr(at, end - at);
    // What an option carries, as in -I/home/ann.
    const bool after_option = at >= 2 && text[at - 2] == '-' && path.starts_with('/');
    if ((begins || after_option) && path.starts_with('/') && is_of_this_machine(path, folder)) {
      auto kept = path;
      while (kept.ends_with('/')) kept.remove_suffix(1);
      out += "…";
      out += kept.substr(kept.rfind('/'));
      at = end;
    } else {
      out += text[at++];
    }
  }
  return out;
}

Findings for_others(Findings findings) {
  const Cutting cutting(findings.design.folder);
  cutting.cut(findings.design);
  for (auto& state : findings.states) cutting.cut(state.detail);
  for (auto& finding : findings.findings) cutting.cut(finding.notes);
  cutting.cut(findings.trust);
  return findings;
}

Record for_others(Record record) {
  const Cutting cutting(record.design.folder);
  cutting.cut(record.design);
  for (auto& change : record.log.standings) cutting.cut(change.state.detail);
  for (auto& doubt : record.log.doubts) cutting.cut(doubt.text);
  for (auto& trial : record.log.trials) cutting.cut(trial.detail);
  return record;
}

}  // namespace assay::inline v1::inline model
