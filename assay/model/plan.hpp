#pragma once

#include <cstddef>
#include <cstdint>
#include <map>
#include <optional>
#include <string>
#include <vector>

#include "assay/model/design.hpp"
#include "assay/model/metric.hpp"
#include "assay/model/setting.hpp"

namespace assay::model {

/// How an answer is held to be right.
struct OutputCheck {
  /// "stdout": standard output must be the baseline's, byte for byte. Empty: not compared.
  std::string equal;
  /// A regular expression (RE2, multi-line) that must occur in standard output. Empty: none.
  std::string match;
  /// A file whose content standard output must be, relative to the plan's folder. Placeholders are expanded.
  std::string file;
  /// Numbers in the answer may differ from those expected by this share of them (`equal`, `file`); all else
  /// must be the same. 0: byte for byte.
  double tolerance = 0;
  /// The least length of standard output in bytes.
  std::uint64_t min_size = 0;
  /// The user's own checker: it gets standard output as its standard input, and ends with status 0 when that
  /// is right; what it says otherwise is shown. Placeholders are expanded.
  std::vector<std::string> program;
  /// Exit statuses of success.
  std::vector<int> exit_ok = {0};
  /// Of a service: statuses of replies that are right, and what of their bodies is not compared: what matches
  /// these RE2, and the values that these JSON pointers (RFC 6901) lead to. `equal` is "replies" there.
  std::vector<int> status_ok = {200};
  std::vector<std::string> ignore, ignore_json;
  bool operator==(const OutputCheck&) const = default;
};

/// How a program is made from its source. Steps run one after the other in `${source}`, a copy of the source
/// in the cache, and put what they make into `${out}`.
struct Build {
  std::vector<std::vector<std::string>> steps;  ///< argument lists with placeholders; none: nothing to build
  double timeout = 3600;                        ///< seconds for each step
  /// Paths of the repository that the build depends on; commits that differ in others alone share one. Empty:
  /// all.
  std::vector<std::string> inputs;
  /// Layouts that its programs are relinked with and that rounds take in turn, so that where the linker
  /// put code is noise; 0: none. relink_for_rounds: as many as rounds, at most 32.
  int relink = 0;
  static constexpr int relink_for_rounds = -1;
  bool operator==(const Build&) const = default;
};

/// A candidate as a plan asks for it.
struct PlannedCandidate {
  std::string name;
  /// Its program, for `${exe}`: with a slash relative to the plan's folder, else found through PATH.
  std::string exe;
  /// Its whole command, on every workload, in place of the workload's.
  std::vector<std::string> run;
  /// Fixes the level of a factor, or adds a placeholder, for this candidate.
  std::map<std::string, Level> with;
  /// The commit that it is built from, as git names it; "merge-base:NAME" for the one where HEAD and NAME
  /// parted, "." for the working tree with its uncommitted edits. Empty: not from git.
  std::string commit;
  /// Folder of its source, or within its git repository, relative to the plan's folder; empty: that itself.
  std::string source;
  Build build;
  std::vector<std::string> identify;  ///< a command that says which build this is; empty: not asked
  std::string baseline;               ///< the candidate it is compared with; empty: the plan's baseline
  bool operator==(const PlannedCandidate&) const = default;
};

/// A command that is run beside a trial, untimed.
struct Hook {
  std::vector<std::string> run;  ///< argument list with placeholders; empty: none
  double timeout = 60;           ///< seconds; taking longer, or failing, makes the trial a failed one
  bool operator==(const Hook&) const = default;
};

/// What a trial runs under.
struct Control {
  std::vector<int> cores;  ///< numbers of the cores it may run on; empty: all
  int nice = 0;            ///< added to its niceness; below 0 needs privilege
  /// Files dropped from the page cache before each trial, so that it starts cold. Placeholders are expanded.
  std::vector<std::string> cold;
  Hook before, after;  ///< run before and after each trial, in its working directory
  bool fresh = false;  ///< each trial gets an empty working directory of its own, taken away afterwards
  /// Names of variables that are passed on, and `NAME=value` (with placeholders). None (the optional): all.
  std::optional<std::vector<std::string>> environment;
  std::uint64_t memory_limit = 0;  ///< bytes of data that each of its processes may hold; 0: no limit
  std::uint64_t file_limit = 64ULL << 30U;  ///< bytes that a file which it writes may have
  int process_limit = 4096;  ///< processes and threads at a time, where a control group can be made for it
  double pause = 0;          ///< seconds of pause before each trial
  bool keep_output = true;   ///< false: output goes to /dev/null in measured trials; checks still see it
  bool operator==(const Control&) const = default;
};

/// How much work one trial does, which gives throughput.
struct Work {
  std::string amount;  ///< a number above 0; placeholders are expanded. Empty: not declared
  std::string unit;    ///< what is counted: "routes"
  bool operator==(const Work&) const = default;
};

/// Reads an amount and what it counts, like `500 routes`; placeholders stay as they are. Throws Error
/// (without a place).
Work parse_work(const std::string& text);
/// The same the other way; empty for none.
std::string to_string(const Work& work);

/// How long a server lives: for one round, in which all candidates' servers are up at once and take
/// turns; for each trial, alone; or for the whole session, all of them up at once. chosen: for the round,
/// unless their memory or the time they take to start speaks against it.
enum class ServerLifetime { automatic, round, trial, session };

/// The signal that asks a server to end.
enum class StopSignal { term, interrupt, quit, hang_up, kill };

/// A server that a workload's requests go to.
struct PlannedService {
  struct Ready {
    std::string path;  ///< a GET of it must have `status`; empty: see `log`
    int status = 200;
    std::string log;  ///< RE2 that must occur in what it writes; both empty: it must take connections
    double timeout = 30;
    bool operator==(const Ready&) const = default;
  };
  struct Stop {
    StopSignal signal = StopSignal::term;
    double grace = 5;  ///< seconds until it is killed
    bool operator==(const Stop&) const = default;
  };
  struct Identify {
    std::string path;  ///< a GET of it says what serves; empty: nothing is asked
    bool operator==(const Identify&) const = default;
  };
  std::vector<std::string> start;  ///< argument list with ${port} in it; empty: each candidate's own `run`
  Ready ready;
  Stop stop;
  Identify identify;
  std::string socket;  ///< path of a Unix socket in place of ${port}; placeholders are expanded
  ServerLifetime keep = ServerLifetime::automatic;
  bool operator==(const PlannedService&) const = default;
};

/// How the moments of an open loop are spaced.
enum class Spacing { random, even };

/// What requests are sent by.
enum class Protocol { http_1, http_2 };

/// A trial's fewest requests where the plan leaves their number open.
inline constexpr int fewest_requests = 1000;

/// The requests of a trial. Texts take placeholders.
struct PlannedRequests {
  std::string file, path;         ///< JSON lines, or a single path to GET
  std::string clients, arrivals;  ///< closed loop: how many at once; open loop: a rate like "40/s"
  Spacing spacing = Spacing::random;
  int count = 0;          ///< of a trial; 0: what takes the baseline a second, and at least 1000
  double slice = 0.05;    ///< seconds of load before the next server's turn; 0: all at one stretch
  int warmup = 0;         ///< unmeasured ones first; 0: the larger of 100 and 10 for each client
  double timeout = 10;    ///< seconds for a reply
  int connections = 256;  ///< of an open loop, at most
  int backlog = 0;  ///< outstanding ones beyond which an open loop is given up; 0: the larger of 1000 and 2 s
  bool tls = false;
  Protocol protocol = Protocol::http_1;
  std::string authority;    ///< certificate (PEM) that the server's must be signed by; empty: any is taken
  bool compressed = false;  ///< asks for compressed replies, which are checked as what they unpack to
  int core = -1;            ///< that requests are sent from; −1: the first of two or more
  bool operator==(const PlannedRequests&) const = default;
};

/// A metric of the user's own, read from what a trial wrote.
struct PlannedMetric {
  Metric metric;  ///< with its margin, ceiling, requirement and lead-in in `request`
  /// "stdout", "stderr", "samples" (what a contest program hands over, docs/samples.md), or the path of a
  /// file that the trial writes, relative to its working directory; placeholders are expanded. Empty: a
  /// metric of Assay's own, of which this is a refinement.
  std::string from;
  /// RE2, multi-line, with one group that is the value; a second one named `at` is the time in seconds.
  std::string pattern;
  std::string json;                    ///< a JSON pointer (RFC 6901) to a number or a list of numbers
  Aggregate aggregate;                 ///< when it occurs many times
  std::vector<std::string> workloads;  ///< that yield it; empty: all
  bool operator==(const PlannedMetric&) const = default;
};

struct PlannedWorkload {
  std::string name;
  std::vector<std::string>
      run;  ///< of candidates without a `run` of their own: argument list with placeholders
  /// A contest program, or any that writes the lines of docs/samples.md, in place of `run`: each of its
  /// functions at each of its settings is compared for itself. Placeholders are expanded. Empty: it is a
  /// plain program.
  std::vector<std::string> contest;
  std::string stdin_file;  ///< opened again for each trial; empty: nothing to read
  OutputCheck check;
  std::vector<std::string> skip;  ///< names of candidates that don't take part
  double timeout = 600;           ///< seconds; a trial that takes longer counts as failed
  double weight = 1;              ///< in a candidate's overall change, shared by its settings; above 0
  Control control;
  Work work;
  /// Of a workload that is a service: its server, and the requests that it gets, or `run`, a program that
  /// asks it.
  std::optional<PlannedService> service;
  std::optional<PlannedRequests> requests;
  bool operator==(const PlannedWorkload&) const = default;
};

struct PlannedRounds {
  /// Rounds that end with the time that there is: the budget, or, where there is none, after most_rounds of
  /// them, or as many as take seconds_each a comparison where those are more.
  static constexpr int open_end = 100'000, most_rounds = 60;
  static constexpr double seconds_each = 20;
  int min = 8;                   ///< judged rounds before anything can be decided; the warm-up comes on top
  int max = open_end;            ///< a finding that is decided sooner is not measured further
  std::optional<double> budget;  ///< seconds of measuring after which no new round is begun; beats min
  Way mode = Way::automatic;     ///< how the candidates of a workload and setting are run
  bool twin = false;             ///< each baseline gets a twin; plan files have them by default
  /// Measured on, also where the verdict is clear, until the half-width of each watched change is at most
  /// this (0.02 is 2 %); nothing is given up as unlikely to be decided then. Empty: no.
  std::optional<double> precise;
  bool operator==(const PlannedRounds&) const = default;
};

/// The commits that a history is made of.
struct PlannedHistory {
  std::string reference;        ///< the commit that all are compared with; empty: none is asked for
  std::string branch = "HEAD";  ///< where it ends: the line of first parents up to there
  int every = 1;                ///< each so many commits, counted from the newest
  int keep = 0;  ///< campaigns of the history that keep their trials, the newest; others are reduced. 0: all
  bool operator==(const PlannedHistory&) const = default;
};

/// What a campaign must show to pass.
struct Gate {
  double allow = 0;  ///< relative change to the worse that is let pass; 0: each metric's margin
  bool undecided_passes = true;
  bool where = false;  ///< when a time does not pass, names the functions, by fresh rounds that are sampled
  bool operator==(const Gate&) const = default;
};

/// What is to be compared, and how.
///
///   assay::Plan plan{.baseline = "list", .margin = 0.01,
///     .candidates = {{.name = "list", .exe = "./list"}, {.name = "heap", .exe = "./heap"}},
///     .workloads  = {{.name = "orders", .run = {"${exe}", "net.txt"}, .check = {.match = "^total"}}}};
///
/// Every trial's working directory is `folder`, and relative paths start there.
struct Plan {
  std::string title;
  std::string baseline;  ///< name of a candidate; empty: the first
  double margin = 0.01;  ///< smallest relative change that matters: 0.01 is a ratio outside [1/1.01, 1.01]
  /// Metrics that verdicts are given on; empty: wall time with cpu time beside it, or cpu time alone where
  /// candidates run abreast.
  std::vector<std::string> watch;
  PlannedRounds rounds;
  std::vector<Factor> factors;
  std::vector<PlannedCandidate> candidates;
  std::vector<PlannedWorkload> workloads;
  std::vector<PlannedMetric> metrics;
  Gate gate;
  PlannedHistory history;
  std::optional<std::uint64_t> seed;  ///< of the order of trials; empty: drawn, and kept with the campaign
  std::string folder;                 ///< empty: the working directory of the caller

  /// Ids of a plan's candidates and workloads are their places in its lists.
  const PlannedCandidate& candidate(CandidateId id) const {
    return candidates.at(static_cast<std::size_t>(id.value));
  }
  PlannedCandidate& candidate(CandidateId id) { return candidates.at(static_cast<std::size_t>(id.value)); }
  const PlannedWorkload& workload(WorkloadId id) const {
    return workloads.at(static_cast<std::size_t>(id.value));
  }

  bool operator==(const Plan&) const = default;
};

/// The rounds below which the paired test cannot tell anything at the 5 % level, whatever the data.
inline constexpr int fewest_rounds = 6;

/// The most programs that can run abreast or in slices, twins included.
inline constexpr std::size_t most_programs_at_once = 16;

}  // namespace assay::model
