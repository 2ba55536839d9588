#include "assay/model/redact.hpp"

#include <algorithm>
#include <array>
#include <map>
#include <set>
#include <variant>
#include <vector>

namespace assay::model {
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

/// The values in the query of a path or address are not for others: "/plan?token=…&from=…".
std::string without_query_values(const std::string& text) {
  constexpr std::string_view ends_of_a_word = " \t\n\"'`<>|;";
  std::string out;
  for (std::size_t at = 0; at < text.size();) {
    const auto end = std::min(text.find_first_of(ends_of_a_word, at), text.size());
    const auto last = text.find_last_not_of(":,.)", end - 1);  // what follows belongs to the sentence
    const auto word_end = end > at && last != std::string::npos && last >= at ? last + 1 : end;
    const auto word = text.substr(at, word_end - at);
    const auto query = word.find('?');
    if (query == std::string::npos || word.substr(0, query).find('/') == std::string::npos) {
      out += word;
    } else {
      out += word.substr(0, query);
      for (std::size_t part = query; part < word.size();) {
        const auto next = std::min(word.find('&', part + 1), word.size());
        const auto equal = word.find('=', part);
        out += equal < next ? word.substr(part, equal + 1 - part) + "…" : word.substr(part, next - part);
        part = next;
      }
    }
    out += text.substr(word_end, end - word_end);
    if (end < text.size()) out += text[end];
    at = end + 1;
  }
  return out;
}

/// Texts that tell things apart, cut so that they still do: `…/net.txt` and `…/net.txt #2` of the files of
/// two folders.
class UniqueNames {
 public:
  std::string of(const std::string& text, const std::string& folder) {
    const auto [at, is_new] = cuts_.try_emplace(text);
    if (!is_new) return at->second;
    const auto cut = without_query_values(shorten_local_paths(text, folder));
    auto name = cut;
    for (int i = 2; !taken_.insert(name).second; ++i) name = cut + " #" + std::to_string(i);
    return at->second = name;
  }

 private:
  std::map<std::string, std::string> cuts_;
  std::set<std::string> taken_;
};

class Redactor {
 public:
  explicit Redactor(std::string folder) : folder_(std::move(folder)) {}

  void cut(std::string& text) const { text = without_query_values(shorten_local_paths(text, folder_)); }
  void cut(std::vector<std::string>& texts) const {
    for (auto& text : texts) cut(text);
  }
  void cut(std::vector<Note>& notes) const {
    for (auto& note : notes) {
      cut(note.quoted);
      cut(note.quoted_other);
    }
  }
  void cut(Level& level) {
    if (auto* text = std::get_if<std::string>(&level)) *text = levels_.of(*text, folder_);
  }
  void cut(Setting& setting) {
    for (auto& [factor, level] : setting.levels) cut(level);
  }
  void cut_candidate(std::string& name) { name = candidates_.of(name, folder_); }
  void cut(Design& design) {
    cut(design.title);
    cut(design.plan);
    cut(design.repeat_command);
    design.folder.clear();
    for (auto& candidate : design.candidates) {
      cut_candidate(candidate.name);
      for (auto* text :
           {&candidate.from.exe, &candidate.from.identity, &candidate.from.compiler, &candidate.from.flags})
        cut(*text);
      cut(candidate.distinguishing_arguments);
    }
    for (auto& factor : design.factors)
      for (auto& level : factor.levels) cut(level);
    std::map<std::string, std::string> settings;
    for (auto& cell : design.cells) {
      const auto text = cell.setting.text();
      cut(cell.setting);
      settings[text] = cell.setting.text();
    }
    for (auto& build : design.builds) {
      if (const auto setting = settings.find(build.setting); setting != settings.end())
        build.setting = setting->second;
      cut(build.steps);
      cut(build.compiler);
      cut(build.flags);
    }
    for (auto& workload : design.workloads) {
      workload.name = workloads_.of(workload.name, folder_);
      cut(workload.run);
    }
    for (auto& metric : design.metrics) cut(metric.request.missing);
  }

 private:
  std::string folder_;
  UniqueNames candidates_, workloads_, levels_;
};

}  // namespace

std::string shorten_local_paths(std::string_view text, std::string_view folder) {
  std::string out;
  std::size_t at = 0;
  while (at < text.size()) {
    // Also the path of file:///home/ann and of host:/home/ann, and what stands after an @.
    const bool begins = at == 0 || text[at - 1] == '@' || text.substr(0, at).ends_with("://") ||
                        ends_of_a_path.find(text[at - 1]) != std::string_view::npos;
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

Findings redacted(Findings findings) {
  Redactor cutting(findings.design.folder);
  cutting.cut(findings.design);
  for (auto& state : findings.statuses) cutting.cut(state.detail);
  for (auto& finding : findings.findings) cutting.cut(finding.notes);
  for (auto& trend : findings.scaling) cutting.cut(trend.others);
  for (auto& ranking : findings.rankings) cutting.cut(ranking.setting);
  for (auto& turn : findings.reversals) {
    cutting.cut(turn.others);
    cutting.cut(turn.last_level);
    cutting.cut(turn.first_level);
  }
  for (auto& confirmation : findings.confirmations) {
    cutting.cut_candidate(confirmation.candidate);
    cutting.cut_candidate(confirmation.baseline);
    cutting.cut(confirmation.cell);
  }
  for (auto& where : findings.where)
    for (auto& function : where.functions) cutting.cut(function.file);
  for (auto& remark : findings.where_remarks) cutting.cut(remark);
  cutting.cut(findings.notes);
  return findings;
}

Record redacted(Record record) {
  Redactor cutting(record.design.folder);
  cutting.cut(record.design);
  for (auto& change : record.log.status_changes) cutting.cut(change.status.detail);
  for (auto& doubt : record.log.check_warnings) cutting.cut(doubt.text);
  for (auto& trial : record.log.trials) cutting.cut(trial.detail);
  for (auto& code : record.log.samples.code) cutting.cut(code.file);
  for (auto& remark : record.log.samples.remarks) cutting.cut(remark);
  return record;
}

}  // namespace assay::model
