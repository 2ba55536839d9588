#pragma once

#include <limits>
#include <type_traits>

#include "assay/codec/fields.hpp"
#include "assay/model/plan.hpp"

/// The keys of a plan file, a list for each of its tables: what reads and what writes plans both go by these
/// lists, so that a new key is one line here, its check in plan/validate.cpp, and its use.
///
/// `keys(value, visit)` calls visit(Key, reference) for each, in order; the reference is const when the value
/// is.
namespace assay::inline v1::codec {

/// How a field is written where its type alone does not tell.
enum class Spelling {
  plain,
  share,             ///< "1 %"
  duration,          ///< "90 s"
  duration_or_none,  ///< the same, or "0 s"
  bytes,             ///< "64 MiB"
  share_or_ratio,    ///< "0.1 %", or 1e-6
  words,             ///< a list of texts, or one text alone
  any_level,         ///< text, number, true or false, kept as text
  pass_or_fail,      ///< "pass" is true
  all_or_number      ///< true is −1, false 0
};

struct Key {
  const char* name;
  Spelling spelling = Spelling::plain;
  /// An example, for the message about a value of another type; none: the type says enough.
  const char* like = nullptr;
  /// Written even where it is what it would be without.
  bool always = false;
  int least = 0, most = std::numeric_limits<int>::max();  ///< of a whole number
};

/// `[plan]`.
template <Is<Plan> Self, class Visit>
void keys(Self& p, Visit&& visit) {
  visit(Key{"title"}, p.title);
  visit(Key{"baseline"}, p.baseline);
  visit(Key{"watch"}, p.watch);
  visit(Key{.name = "margin", .spelling = Spelling::share, .always = true}, p.margin);
  visit(Key{"seed"}, p.seed);
}

template <Is<PlannedRounds> Self, class Visit>
void keys(Self& r, Visit&& visit) {
  visit(Key{.name = "twin", .always = true}, r.twin);
  visit(Key{.name = "max", .always = true}, r.max);
  visit(Key{.name = "min", .always = true}, r.min);
  visit(Key{"budget", Spelling::duration}, r.budget);
  visit(Key{"mode"}, r.mode);
  visit(Key{"precise", Spelling::share}, r.precise);
}

template <Is<Factor> Self, class Visit>
void keys(Self& f, Visit&& visit) {
  visit(Key{"name"}, f.name);
  visit(Key{"levels"}, f.levels);
  visit(Key{"role"}, f.role);
}

/// `[build]`: what candidates inherit that are built.
template <Is<PlannedCandidate> Self, class Visit>
void build_keys(Self& c, Visit&& visit) {
  visit(Key{"steps"}, c.build.steps);
  visit(Key{"timeout", Spelling::duration}, c.build.timeout);
  visit(Key{"inputs"}, c.build.inputs);
  visit(Key{.name = "relink",
            .spelling = Spelling::all_or_number,
            .like = "true, or how many layouts: 16",
            .most = 10'000},
        c.build.relink);
  visit(Key{"exe"}, c.exe);
  visit(Key{"source"}, c.source);
  visit(Key{"identify"}, c.identify);
}

/// Without `commits`, which stands for as many candidates.
template <Is<PlannedCandidate> Self, class Visit>
void keys(Self& c, Visit&& visit) {
  visit(Key{"name"}, c.name);
  visit(Key{"run"}, c.run);
  build_keys(c, visit);
  visit(Key{"against"}, c.against);
  visit(Key{.name = "with", .like = "a table: { cache = \"on\" }"}, c.with);
}

template <Is<SideStep> Self, class Visit>
void keys(Self& s, Visit&& visit) {
  visit(Key{"run"}, s.run);
  visit(Key{.name = "timeout", .spelling = Spelling::duration, .always = true}, s.timeout);
}

template <Is<Control> Self, class Visit>
void keys(Self& c, Visit&& visit) {
  constexpr const char* step = "an argument list, or { run = [\"…\"], timeout = \"30 s\" }";
  visit(Key{.name = "cores", .like = "a list of core numbers: [0, 1]"}, c.cores);
  visit(Key{.name = "nice", .like = "a whole number, like 5", .least = -40, .most = 40}, c.nice);
  visit(Key{"cold"}, c.cold);
  visit(Key{.name = "before", .like = step}, c.before);
  visit(Key{.name = "after", .like = step}, c.after);
  visit(Key{"fresh"}, c.fresh);
  visit(Key{"settle", Spelling::duration}, c.settle);
  visit(Key{"environment"}, c.environment);
  visit(Key{"memory_limit", Spelling::bytes}, c.memory_limit);
  visit(Key{"keep_output"}, c.keep_output);
}

template <Is<WorkAmount> Self, class Visit>
void keys(Self& w, Visit&& visit) {
  visit(Key{"amount", Spelling::any_level}, w.amount);
  visit(Key{"unit"}, w.unit);
}

template <Is<AnswerCheck> Self, class Visit>
void keys(Self& c, Visit&& visit) {
  visit(Key{"equal"}, c.equal);
  visit(Key{"match"}, c.match);
  visit(Key{"file"}, c.file);
  visit(Key{"tolerance", Spelling::share_or_ratio, "a share of the number: 1e-6, or \"0.1 %\""}, c.tolerance);
  visit(Key{"min_size", Spelling::bytes}, c.min_size);
  visit(Key{"program"}, c.program);
  visit(Key{.name = "exit_ok", .like = "a list of exit statuses: [0, 1]"}, c.exit_ok);
  visit(Key{.name = "status_ok", .like = "a list of statuses: [200, 404]"}, c.status_ok);
  visit(Key{"ignore"}, c.ignore);
  visit(Key{"ignore_json"}, c.ignore_json);
}

template <Is<PlannedService::Ready> Self, class Visit>
void keys(Self& r, Visit&& visit) {
  visit(Key{"path"}, r.path);
  visit(Key{.name = "status", .like = "a status like 200", .least = 100, .most = 599}, r.status);
  visit(Key{"log"}, r.log);
  visit(Key{"timeout", Spelling::duration}, r.timeout);
}

template <Is<PlannedService::Stop> Self, class Visit>
void keys(Self& s, Visit&& visit) {
  visit(Key{"signal"}, s.signal);
  visit(Key{"grace", Spelling::duration}, s.grace);
}

template <Is<PlannedService::Identify> Self, class Visit>
void keys(Self& i, Visit&& visit) {
  visit(Key{"path"}, i.path);
}

template <Is<PlannedService> Self, class Visit>
void keys(Self& s, Visit&& visit) {
  visit(Key{"start"}, s.start);
  visit(Key{.name = "ready", .like = "a table: { path = \"/health\" }"}, s.ready);
  visit(Key{.name = "stop", .like = "a table: { signal = \"TERM\", grace = \"5 s\" }"}, s.stop);
  visit(Key{.name = "identify", .like = "a table: { path = \"/version\" }"}, s.identify);
  visit(Key{"socket"}, s.socket);
  visit(Key{"keep"}, s.keep);
}

template <Is<PlannedRequests> Self, class Visit>
void keys(Self& r, Visit&& visit) {
  visit(Key{"file"}, r.file);
  visit(Key{"path"}, r.path);
  visit(Key{"clients", Spelling::any_level}, r.clients);
  visit(Key{"arrivals"}, r.arrivals);
  visit(Key{"spacing"}, r.spacing);
  visit(Key{.name = "count", .like = "a whole number", .least = 1, .most = 10'000'000}, r.count);
  visit(Key{"slice", Spelling::duration_or_none}, r.slice);
  visit(Key{.name = "settle", .like = "a number of requests", .least = 1}, r.settle);
  visit(Key{"timeout", Spelling::duration}, r.timeout);
  visit(Key{.name = "connections", .like = "a whole number", .least = 1, .most = 20'000}, r.connections);
  visit(Key{.name = "backlog", .like = "a whole number", .least = 1}, r.backlog);
  visit(Key{"tls"}, r.tls);
  visit(Key{"protocol"}, r.protocol);
  visit(Key{"authority"}, r.authority);
  visit(Key{"compressed"}, r.compressed);
  visit(Key{.name = "core", .like = "the number of a core", .least = 0}, r.core);
}

template <Is<PlannedWorkload> Self, class Visit>
void keys(Self& w, Visit&& visit) {
  visit(Key{.name = "name", .always = true}, w.name);
  visit(Key{"run"}, w.run);
  visit(Key{"contest", Spelling::words, "a program, or a list of its words"}, w.contest);
  visit(Key{"stdin"}, w.stdin_file);
  visit(Key{.name = "check", .like = "a table: { equal = \"stdout\" }"}, w.check);
  visit(Key{"skip"}, w.skip);
  visit(Key{.name = "timeout", .spelling = Spelling::duration, .always = true}, w.timeout);
  visit(Key{.name = "weight", .like = "a number above 0"}, w.weight);
  keys(w.control, visit);
  visit(Key{.name = "work", .like = "a table: { amount = 500, unit = \"routes\" }"}, w.work);
  visit(Key{.name = "service", .like = "a table: [workload.service]"}, w.service);
  visit(Key{.name = "requests", .like = "a table: [workload.requests]"}, w.requests);
}

template <Is<PlannedMetric> Self, class Visit>
void keys(Self& m, Visit&& visit) {
  visit(Key{"name"}, m.metric.name);
  visit(Key{"from"}, m.from);
  visit(Key{"pattern"}, m.pattern);
  visit(Key{"json"}, m.json);
  visit(Key{.name = "unit", .always = true}, m.metric.unit);
  visit(Key{.name = "prefer", .always = true}, m.metric.prefer);
  visit(Key{.name = "pick", .like = "text in quotes, like \"median\""}, m.pick);
  visit(Key{.name = "settle", .like = "\"2 s\", or a number of values like 20"}, m.settle);
  visit(Key{"margin", Spelling::share}, m.margin);
  visit(Key{"exact"}, m.metric.exact);
  visit(Key{"workloads"}, m.workloads);
  visit(Key{.name = "ceiling", .like = "a number in the metric's unit"}, m.ceiling);
  visit(Key{.name = "require", .like = "text in quotes, like \">= 250\""}, m.require);
}

template <Is<PlannedHistory> Self, class Visit>
void keys(Self& h, Visit&& visit) {
  visit(Key{"reference"}, h.reference);
  visit(Key{"branch"}, h.branch);
  visit(Key{.name = "every", .like = "a whole number", .least = 1, .most = 100'000}, h.every);
  visit(Key{.name = "keep", .like = "a number of campaigns", .least = 1}, h.keep);
}

template <Is<Gate> Self, class Visit>
void keys(Self& g, Visit&& visit) {
  visit(Key{"allow", Spelling::share}, g.allow);
  visit(Key{"undecided", Spelling::pass_or_fail}, g.undecided_passes);
}

}  // namespace assay::inline v1::codec
