#pragma once

#include <cstddef>
#include <string>
#include <vector>

#include "assay/model/design.hpp"
#include "assay/model/history.hpp"
#include "assay/model/log.hpp"
#include "assay/model/results.hpp"

namespace assay::render {

/// How text for a terminal is set.
struct TextStyle {
  bool colour = false;     ///< better blue, worse orange; signs say the same without
  bool profile = false;    ///< all metrics besides, see profile_text()
  bool all_notes = false;  ///< every note by itself; else one line for each kind, five at most
};

/// Findings for reading: a sentence per candidate, then a block for each workload and watched metric with the
/// intervals on one axis, then what weakens the findings. At most 100 columns, apart from names and commands
/// that are longer by themselves. Ends with a newline.
std::string to_text(const Findings& findings, const TextStyle& style = {});

/// The findings document (docs/findings.schema.json), format 3. An interval end that is infinite is null.
/// Ends with a newline.
std::string to_json(const Findings& findings);

/// Findings as a comment on a change: a sentence for each candidate, a table of what is watched, and the rest
/// folded away. GitHub's and GitLab's dialect; names are escaped. `gate`: its answer comes first; nullptr:
/// there is none.
std::string to_markdown(const Findings& findings, const GateResult* gate = nullptr);

/// Findings as one HTML file that opens from disk with no network: sentences first, then a table and the
/// intervals for each workload and metric, every trial, trials over the rounds, growth, what was left out,
/// how far to trust it, and how to repeat it. `record` gives the trials. Charts are Vega-Lite specifications,
/// drawn by libraries that are part of the file (about 0.8 MB); from 3000 trials on in a chart they are
/// summed up first, as more can't be seen. All text is escaped. Cost: linear in the trials.
std::string to_page(const Findings& findings, const Record& record);

/// A gate's answer in a sentence, without a full stop.
std::string headline(const GateResult& gate);

/// Its reasons, a line each; those that passed are counted unless `all` asks for them. `design` is that of
/// the campaign that was compared with it.
std::vector<std::string> reasons_of(const GateResult& gate, const Design& design, bool all);

/// Both.
std::string to_text(const GateResult& gate, const Design& design, bool all = false);

/// The same as a JUnit XML document: a test case for each reason; an undecided one is skipped, or fails where
/// the gate does not let it pass.
std::string to_junit(const GateResult& gate, const Design& design, const std::string& where = {});

/// Plain sentences: the smallest change a one-minute duel can decide here, and what would help. A hint is
/// given for: more than 5 % of CPU time taken by the host, more than 10 % by other programs, battery, a
/// frequency governor that is not "performance", abreast at less than half the spread of in turns, longer
/// work at less than half the spread of shorter.
std::vector<std::string> advice(const Conditions& conditions);

std::string to_text(const Conditions& conditions);
std::string to_json(const Conditions& conditions);

/// A history for a terminal: for each line a chart of its points over the commits, its steps as sentences,
/// and what weakens it. At most 100 columns, apart from commands. Ends with a newline.
std::string to_text(const History& history);

/// The same as a JSON document (docs/history.schema.json). Ends with a newline.
std::string to_json(const History& history);

/// A history as a page that opens from disk: a text for each line, a chart, a table of steps and one of
/// commits. Names and addresses of authors are not in it.
std::string to_page(const History& history);

/// The result of a search for a commit, for a terminal. Ends with a newline.
std::string to_text(const CommitSearchResult& located);

/// The same as a JSON document (docs/history.schema.json). Ends with a newline.
std::string to_json(const CommitSearchResult& located);

/// All trials of each finding's two cells: a strip of dots on a common axis, quantiles, the first trials in
/// the order in which they ran. `record` is what the findings were judged from.
std::string details(const Findings& all, const Record& record);

}  // namespace assay::render
