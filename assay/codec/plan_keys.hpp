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
namespace assay::codec {

/// How a field is written where its type alone does not tell.
enum class KeyFormat {
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
  KeyFormat format = KeyFormat::plain;
  /// An example, for the message about a value of another type; none: the type says enough.
  const char* example = nullptr;
  /// Written even where it is what it would be without.
  bool always = false;
  int min = 0, max = std::numeric_limits<int>::max();  ///< of a whole number
};

/// `[plan]`.
template <Is<Plan> Self, class Visit>
void keys(Self& p, Visit&& visit) {
  visit(Key{"title"}, p.title);
  visit(Key{"baseline"}, p.baseline);
  visit(Key{"watch"}, p.watch);
  visit(Key{.name = "margin", .format = KeyFormat::share, .always = true}, p.margin);
  visit(Key{"seed"}, p.seed);
}

template <Is<PlannedRounds> Self, class Visit>
void keys(Self& r, Visit&& visit) {
  visit(Key{.name = "twin", .always = true}, r.twin);
  visit(Key{.name = "max", .always = true}, r.max);
  visit(Key{.name = "min", .always = true}, r.min);
  visit(Key{"budget", KeyFormat::duration}, r.budget);
  visit(Key{"mode"}, r.mode);
  visit(Key{"precise", KeyFormat::share}, r.precise);
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
  visit(Key{"timeout", KeyFormat::duration}, c.build.timeout);
  visit(Key{"inputs"}, c.build.inputs);
  visit(Key{.name = "relink",
            .format = KeyFormat::all_or_number,
            .example = "true, or how many layouts: 16",
            .max = 10'000},
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
  visit(Key{"against"}, c.baseline);
  visit(Key{.name = "with", .example = "a table: { cache = \"on\" }"}, c.with);
}

template <Is<Hook> Self, class Visit>
void keys(Self& s, Visit&& visit) {
  visit(Key{"run"}, s.run);
  visit(Key{.name = "timeout", .format = KeyFormat::duration, .always = true}, s.timeout);
}

template <Is<Control> Self, class Visit>
void keys(Self& c, Visit&& visit) {
  constexpr const char* step = "an argument list, or { run = [\"…\"], timeout = \"30 s\" }";
  visit(Key{.name = "cores", .example = "a list of core numbers: [0, 1]"}, c.cores);
  visit(Key{.name = "nice", .example = "a whole number, like 5", .min = -40, .max = 40}, c.nice);
  visit(Key{"cold"}, c.cold);
  visit(Key{.name = "before", .example = step}, c.before);
  visit(Key{.name = "after", .example = step}, c.after);
  visit(Key{"fresh"}, c.fresh);
  visit(Key{"pause", KeyFormat::duration}, c.pause);
  visit(Key{"environment"}, c.environment);
  visit(Key{"memory_limit", KeyFormat::bytes}, c.memory_limit);
  visit(Key{"file_limit", KeyFormat::bytes}, c.file_limit);
  visit(Key{.name = "process_limit", .example = "a whole number", .min = 1, .max = 1'000'000},
        c.process_limit);
  visit(Key{"keep_output"}, c.keep_output);
}

template <Is<OutputCheck> Self, class Visit>
void keys(Self& c, Visit&& visit) {
  visit(Key{"equal"}, c.equal);
  visit(Key{"match"}, c.match);
  visit(Key{"file"}, c.file);
  visit(Key{"tolerance", KeyFormat::share_or_ratio, "a share of the number: 1e-6, or \"0.1 %\""},
        c.tolerance);
  visit(Key{"min_size", KeyFormat::bytes}, c.min_size);
  visit(Key{"program"}, c.program);
  visit(Key{.name = "exit_ok", .example = "a list of exit statuses: [0, 1]"}, c.exit_ok);
  visit(Key{.name = "status_ok", .example = "a list of statuses: [200, 404]"}, c.status_ok);
  visit(Key{"ignore"}, c.ignore);
  visit(Key{"ignore_json"}, c.ignore_json);
}

template <Is<PlannedService::Ready> Self, class Visit>
void keys(Self& r, Visit&& visit) {
  visit(Key{"path"}, r.path);
  visit(Key{.name = "status", .example = "a status like 200", .min = 100, .max = 599}, r.status);
  visit(Key{"log"}, r.log);
  visit(Key{"timeout", KeyFormat::duration}, r.timeout);
}

template <Is<PlannedService::Stop> Self, class Visit>
void keys(Self& s, Visit&& visit) {
  visit(Key{"signal"}, s.signal);
  visit(Key{"grace", KeyFormat::duration}, s.grace);
}

template <Is<PlannedService::Identify> Self, class Visit>
void keys(Self& i, Visit&& visit) {
  visit(Key{"path"}, i.path);
}

template <Is<PlannedService> Self, class Visit>
void keys(Self& s, Visit&& visit) {
  visit(Key{"start"}, s.start);
  visit(Key{.name = "ready", .example = "a table: { path = \"/health\" }"}, s.ready);
  visit(Key{.name = "stop", .example = "a table: { signal = \"TERM\", grace = \"5 s\" }"}, s.stop);
  visit(Key{.name = "identify", .example = "a table: { path = \"/version\" }"}, s.identify);
  visit(Key{"socket"}, s.socket);
  visit(Key{"keep"}, s.keep);
}

template <Is<PlannedRequests> Self, class Visit>
void keys(Self& r, Visit&& visit) {
  visit(Key{"file"}, r.file);
  visit(Key{"path"}, r.path);
  visit(Key{"clients", KeyFormat::any_level}, r.clients);
  visit(Key{"arrivals"}, r.arrivals);
  visit(Key{"spacing"}, r.spacing);
  visit(Key{.name = "count", .example = "a whole number", .min = 1, .max = 10'000'000}, r.count);
  visit(Key{"slice", KeyFormat::duration_or_none}, r.slice);
  visit(Key{.name = "warmup", .example = "a number of requests", .min = 1}, r.warmup);
  visit(Key{"timeout", KeyFormat::duration}, r.timeout);
  visit(Key{.name = "connections", .example = "a whole number", .min = 1, .max = 20'000}, r.connections);
  visit(Key{.name = "backlog", .example = "a whole number", .min = 1}, r.backlog);
  visit(Key{"tls"}, r.tls);
  visit(Key{"protocol"}, r.protocol);
  visit(Key{"authority"}, r.authority);
  visit(Key{"compressed"}, r.compressed);
  visit(Key{.name = "core", .example = "the number of a core", .min = 0}, r.core);
}

template <Is<PlannedWorkload> Self, class Visit>
void keys(Self& w, Visit&& visit) {
  visit(Key{.name = "name", .always = true}, w.name);
  visit(Key{"run"}, w.run);
  visit(Key{"contest", KeyFormat::words, "a program, or a list of its words"}, w.contest);
  visit(Key{"stdin"}, w.stdin_file);
  visit(Key{.name = "check", .example = "a table: { equal = \"stdout\" }"}, w.check);
  visit(Key{"skip"}, w.skip);
  visit(Key{.name = "timeout", .format = KeyFormat::duration, .always = true}, w.timeout);
  visit(Key{.name = "weight", .example = "a number above 0"}, w.weight);
  keys(w.control, visit);
  visit(Key{.name = "work", .example = "text in quotes, like \"500 routes\""}, w.work);
  visit(Key{.name = "service", .example = "a table: [workload.service]"}, w.service);
  visit(Key{.name = "requests", .example = "a table: [workload.requests]"}, w.requests);
}

template <Is<PlannedMetric> Self, class Visit>
void keys(Self& m, Visit&& visit) {
  visit(Key{"name"}, m.metric.name);
  visit(Key{"from"}, m.from);
  visit(Key{"pattern"}, m.pattern);
  visit(Key{"json"}, m.json);
  visit(Key{.name = "unit", .always = true}, m.metric.unit);
  visit(Key{.name = "prefer", .always = true}, m.metric.direction);
  visit(Key{.name = "pick", .example = "text in quotes, like \"median\""}, m.aggregate);
  visit(Key{.name = "lead_in", .example = "\"2 s\", or a number of values like 20"},
        m.metric.request.lead_in);
  visit(Key{"margin", KeyFormat::share}, m.metric.request.margin);
  visit(Key{"exact"}, m.metric.exact);
  visit(Key{"workloads"}, m.workloads);
  visit(Key{.name = "ceiling", .example = "a number in the metric's unit"}, m.metric.request.ceiling);
  visit(Key{.name = "require", .example = "text in quotes, like \">= 250\""}, m.metric.request.require);
}

template <Is<PlannedHistory> Self, class Visit>
void keys(Self& h, Visit&& visit) {
  visit(Key{"reference"}, h.reference);
  visit(Key{"branch"}, h.branch);
  visit(Key{.name = "every", .example = "a whole number", .min = 1, .max = 100'000}, h.every);
  visit(Key{.name = "keep", .example = "a number of campaigns", .min = 1}, h.keep);
}

template <Is<Gate> Self, class Visit>
void keys(Self& g, Visit&& visit) {
  visit(Key{"allow", KeyFormat::share}, g.allow);
  visit(Key{"undecided", KeyFormat::pass_or_fail}, g.undecided_passes);
  visit(Key{"where"}, g.where);
}

}  // namespace assay::codec
