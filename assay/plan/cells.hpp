#pragma once

#include <functional>
#include <map>
#include <optional>
#include <span>
#include <string>
#include <string_view>
#include <vector>

#include "assay/model/design.hpp"
#include "assay/model/id_table.hpp"
#include "assay/model/plan.hpp"
#include "assay/model/setting.hpp"

namespace assay::plan {

/// What a service's cell asks of its server, placeholders expanded.
struct ServiceSpec {
  std::string socket, ready_path, identify_path;  ///< empty: none
  std::string file, path;                         ///< of requests: one of them
  std::optional<int> clients;                     ///< closed loop
  std::optional<double> arrivals;                 ///< open loop: a second
};

/// A cell with what it takes to run it. The command of a service's is what starts its server.
struct PlannedCell {
  Cell cell;         ///< its ids are places in the plan's candidates and workloads
  CellStatus state;  ///< absent where the workload skips it
  std::vector<std::string>
      command;  ///< the candidate's own `run`, else the workload's; see trial_placeholders()
  std::string
      program;  ///< what is compared: the candidate's exe where its command names it, else what starts
  std::vector<std::string> identify;      ///< its candidate's, placeholders expanded
  OutputCheck check;                      ///< of its workload, placeholders expanded
  std::string stdin_file;                 ///< of its workload, placeholders expanded
  Control control;                        ///< of its workload, placeholders expanded
  std::optional<double> work;             ///< amount done by one trial, where the workload declares it
  std::optional<ServiceSpec> serving;     ///< of a workload that is a service
  std::vector<std::string> client;        ///< the program that asks it, where none of Assay's requests do
  std::vector<std::string> metric_files;  ///< for each of the plan's metrics its `from`, expanded
};

/// Where a candidate's source and what is built of it are, for one setting: `${source}` and `${out}`.
struct BuildPaths {
  std::string source = "<source>", out = "<out>";
};
using PlannedCells = IdTable<CellId, PlannedCell>;
using BuildPlaces = std::function<BuildPaths(CandidateId, const Setting&)>;

/// Whether a candidate takes part in a setting: its `with` does not fix another level of a factor.
bool applies_to(const PlannedCandidate& candidate, const Setting& setting);

/// A cell's command, or its client's, for people: the program as seen from the plan's folder, where every
/// trial runs, and the names of what only a trial fills in.
std::vector<std::string> display_command(std::vector<std::string> command, const std::string& folder);

/// Every candidate × workload × setting of a valid plan, workload by workload, setting by setting, the
/// candidates in the plan's order within; without those that `with` rules out.
/// A setting that several candidates share has one text for all of them, so that they can be paired.
/// `places`: where builds are; without it `${source}` and `${out}` are shown as such.
///
/// Throws Error for placeholders without a value. Cost: cells × length of their commands.
PlannedCells expand_cells(const Plan& plan, const BuildPlaces& places = {});

/// A candidate's build steps for a setting, with every placeholder expanded but `${source}`, `${out}` and
/// `${jobs}`: equal texts are one build. Throws as expand_cells().
std::vector<std::vector<std::string>> expand_steps(const Plan& plan, CandidateId candidate,
                                                   const Setting& setting);

/// Each candidate's cell beside its baseline's of the same workload and setting. Candidates without a
/// partner there have no comparison.
std::vector<Comparison> comparisons_of(const PlannedCells& cells, const Plan& plan);

/// The place of the plan's baseline among its candidates.
CandidateId baseline_of(const Plan& plan);

/// The candidate that another is compared with; none for the plan's baseline.
std::optional<CandidateId> baseline_of(const Plan& plan, CandidateId candidate);

/// Every candidate that others are compared with, in the plan's order.
std::vector<CandidateId> baselines_of(const Plan& plan);

/// Copies the cells of each baseline for a twin of it. The twins' ids come after those of the plan's
/// candidates, in the order of baselines_of(); each copy is compared with its original.
void add_twins(const Plan& plan, PlannedCells& cells, std::vector<Comparison>& comparisons);

/// What a valid plan says to no effect, a sentence each, printed before anything runs.
std::vector<std::string> plan_warnings(const Plan& plan);

/// Restricts a valid plan to the cells that are chosen: takes out workloads, levels of factors, and
/// candidates, but keeps each baseline that those left are compared with. Throws Error that names --only for
/// a name or value the plan does not have, and when nothing is left to compare.
void filter_plan(Plan& plan, const CellFilter& only);

/// Names with a meaning of their own: no factor and no `with` may take them.
std::span<const std::string> reserved_placeholders();

/// Replaces each `${name}` in `text` by its value; `$${` stands for a literal `${`, and `${byte.e9}` for the
/// byte of that hexadecimal number, which is how a plan, whose text is UTF-8, has arguments that are none.
///
///   expand("net-${locks}.txt", {{"locks", "800"}})  ==  "net-800.txt"
///   expand("$${HOME}", {})                          ==  "${HOME}"
///
/// Throws Error (without a place) for a name that has no value here, with the near miss, and for a `${`
/// that is never closed.
std::string expand(const std::string& text, const std::map<std::string, std::string>& values);

/// A text that is to be taken as it is, byte for byte, as expand() gives it back.
std::string escape(std::string_view text);

/// The placeholders whose values are known only when a trial begins, as `expand` takes them: each is left in
/// the text as a mark that no argument of a program can contain, for bind_placeholders() to replace.
const std::map<std::string, std::string>& trial_placeholders();

/// Whether a text of expand() waits for the value of `${name}`.
bool is_unbound(const std::string& text, const std::string& name);

/// Puts `value` where a text of expand() waits for `${name}`.
std::string bind_placeholders(std::string text, const std::string& name, const std::string& value);

}  // namespace assay::plan
