#pragma once

#include <cstddef>
#include <iosfwd>
#include <optional>
#include <string>
#include <variant>
#include <vector>

#include "assay/model/design.hpp"
#include "assay/model/metric.hpp"

namespace assay::model {

/// differs: values that were not measured side by side differ; which side did it is unknown.
enum class Verdict { better, worse, same, unclear, differs };
/// Better or worse.
inline bool is_change(Verdict verdict) { return verdict == Verdict::better || verdict == Verdict::worse; }
/// Its name: "better".
std::ostream& operator<<(std::ostream& out, Verdict verdict);

struct WholeCampaign {
  bool operator==(const WholeCampaign&) const = default;
};
struct ThisMachine {
  int number = 0;  ///< of several that ran the campaign's rounds, from 1; 0: the only one
  bool operator==(const ThisMachine&) const = default;
};

/// What a note or a reason is about.
using Subject = std::variant<WholeCampaign, ThisMachine, CandidateId, CellId, WorkloadId, MetricId>;

enum class NoteKind {
  // Before anything is measured.
  same_commit,          ///< a candidate is the commit that its baseline is
  same_commit_program,  ///< two commits give one program, byte for byte
  same_program,         ///< two paths hold one program, byte for byte
  same_command,         ///< a candidate is its baseline, with the same arguments
  other_compiler,       ///< `quoted` and `quoted_other` name them
  other_optimisation,   ///< likewise
  other_options,        ///< `quoted`: options of its own; `quoted_other`: those that only its baseline has
  same_identity,  ///< candidates (`also_candidates`) say that they are what their baseline says it is (`quoted`)
  weak_check,     ///< `quoted`: why a workload's check proves little
  // What trials show.
  output_differs,        ///< from the baseline's; `quoted`: where
  orphan_processes,      ///< running, `value` of them in `count` trials
  intermittent_failure,  ///< `value` of `count` trials
  intermittent_timeout,  ///< `value` of `count` trials ran into their time limit
  aa_difference,         ///< a copy of the baseline has a verdict, `effect`, and had one in fresh rounds too
  aa_chance,          ///< the same, but not in `count` fresh rounds, which gave `value`, from `low` to `high`
  aa_unconfirmed,     ///< the same, with too few rounds after that to tell whether it was chance
  too_few_rounds,     ///< `value` of at least `threshold`
  not_positive,       ///< values that a ratio can't be made of
  too_coarse,         ///< for how coarsely the kernel samples it
  not_exact,          ///< a metric that was declared exact varied
  at_saturation,      ///< this side's or both sides' values lie at the metric's declared ceiling, `threshold`
  beyond_saturation,  ///< values up to `value` lie beyond it: it is declared wrongly
  drifts_in_trial,  ///< the first values of its trials, `low` typically, differ from the later ones, `high`,
                    ///< by a share of `value`; `quoted` is the lead_in that would leave those out
  unpaired,         ///< values without rounds
  layout_alone,     ///< `value`, a change between two builds, is within what the layout of code can do
  /// Layout alone moves a program by a share of `value` from build to build, of `count` layouts; one build
  /// of
  /// each would show a change of `threshold` by chance, and the one that was called is `low`.
  layout_spread,
  layout_spread_at_most,  ///< the same, with noise in it: at most
  layouts_repeat,         ///< `count` layouts in `value` rounds: their means were judged
  layout_kept,            ///< a program could not be relinked: `quoted`
  layouts_shuffled,       ///< its layouts are drawn for each program by itself
  analysis_failed,        ///< `quoted`: what, and why
  test_disagreement,      ///< Brunner–Munzel's test says otherwise, with p = `value`
  machines_differ,        ///< the change is another on each machine: from `low` to `high`, p = `value`
  // What the values show, by metric. `count`: cells that show it, of which the subject does most.
  drift,            ///< by `value` from the first rounds to the last
  multimodal,       ///< values gather around more than one
  outliers,         ///< a share of `value` lies far out
  autocorrelation,  ///< effects of neighbouring rounds are correlated by `value`
  position_effect,  ///< differs by `value` from what runs later
  first_run,        ///< likewise, from later runs
  short_trials,     ///< `value` seconds
  carry_over,       ///< what runs right after a cell differs by `value` from what runs after others
  saturation,       ///< a share of `value` of the values of both sides lies at one upper end
  // What the machine did.
  stolen_time,  ///< a share of `value`, by its host
  busy,         ///< a share of `value` was used by others
  load,         ///< of `value` on `threshold` cores
  frequency,    ///< varied by `value`
  throttled,    ///< `value` times
  on_battery,
  page_cache_not_dropped,  ///< a share of `value` of a file that was declared cold
  counters_shared,         ///< counters were off for a share of `value`
  concurrent_campaign,     ///< campaign
  unwaited_children,       ///< `value` seconds of CPU time
  costly_output,           ///< a share of `value` of the wall time
  discarded_trials,        ///< `value` of them; `quoted`: why
  concurrency_bias,        ///< effect `value` abreast; in turns from `low` to `high`
  // What driving servers shows. `count`: cells or rounds that show it, of which the subject does most.
  rate_not_sustained,  ///< it answered `value` of `threshold` requests a second, in `count` of `high` rounds
  clients_idle,        ///< of the clients' time a share of `value` had a request under way
  driver_saturated,    ///< sending took a share of `value` of a core
  driver_beside,       ///< sending took `value` times the CPU time of the server, on its cores
  sent_late,      ///< one in a hundred requests of an open loop went out `value` seconds after it was due
  reopened,       ///< a share of `value` of the requests needed a new connection
  slow_connects,  ///< a connection took `value` seconds: the server's queue of new ones is short
  connections_used_up,  ///< an open loop's, `value` of them, were all in use
  cpu_while_idle,       ///< the server used a share of `value` of a core while it was not asked
  changes_under_load,   ///< its rate changed by `value` towards the end of its load
  stalls,               ///< they cost a share of `value` of its requests a second
  servers_reused,       ///< servers were kept up: what differs from start to start is not averaged out
};

/// Something that weakens a finding or should be known, with the figure it rests on. Worded by report/.
struct Note {
  enum class Level { note, warning };

  NoteKind kind = NoteKind::same_commit;
  Subject subject;
  Level level = Level::note;
  std::optional<MetricId> metric;
  std::optional<double> value, threshold;
  double low = 0, high = 0;
  std::size_t count = 1;
  std::optional<Effect> effect;  ///< of a twin that was called
  Verdict verdict = Verdict::unclear;
  std::vector<CandidateId> also_candidates;  ///< further candidates of whom it is true
  std::string quoted, quoted_other;  ///< what is not Assay's own: a program's words, a compiler's options
};

}  // namespace assay::model
