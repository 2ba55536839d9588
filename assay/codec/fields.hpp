#pragma once

#include <type_traits>

#include "assay/model/design.hpp"
#include "assay/model/log.hpp"

/// The fields of the values that are stored or handed over, a list for each: ledgers, exports and imports
/// spell values by these lists, so that a new field is one line here.
///
/// `fields(value, visit)` calls visit(name, reference) for each field, in order; the reference is const when
/// the value is. Names are those of the ledger's columns and of an export's keys; they don't change once
/// released.
namespace assay::codec {

template <class Self, class Value>
concept Is = std::is_same_v<std::remove_const_t<Self>, Value>;

template <Is<Provenance> Self, class Visit>
void fields(Self& p, Visit&& visit) {
  visit("exe", p.exe);
  visit("exe_digest", p.exe_digest);
  visit("loaded_digest", p.loaded_digest);
  visit("commit_id", p.commit);
  visit("commit_time", p.commit_time);
  visit("identity", p.identity);
  visit("compiler", p.compiler);
  visit("flags", p.flags);
}

template <Is<Candidate> Self, class Visit>
void fields(Self& c, Visit&& visit) {
  visit("name", c.name);
  visit("baseline", c.baseline);
  visit("twin_of", c.twin_of);
  visit("distinguishing_arguments", c.distinguishing_arguments);
  fields(c.from, visit);
}

template <Is<BuildInfo> Self, class Visit>
void fields(Self& b, Visit&& visit) {
  visit("candidate", b.candidate);
  visit("setting", b.setting);
  visit("tree", b.tree);
  visit("steps", b.steps);
  visit("compiler", b.compiler);
  visit("flags", b.flags);
  visit("exe_digest", b.exe_digest);
  visit("loaded_digest", b.loaded_digest);
  visit("layouts", b.layouts);
  visit("layout_method", b.layout_method);
}

template <Is<Workload> Self, class Visit>
void fields(Self& w, Visit&& visit) {
  visit("name", w.name);
  visit("run", w.run);
  visit("weight", w.weight);
  visit("digest", w.digest);
}

/// Without its levels, which the cells have.
template <Is<Factor> Self, class Visit>
void fields(Self& f, Visit&& visit) {
  visit("name", f.name);
  visit("role", f.role);
}

template <Is<Comparison> Self, class Visit>
void fields(Self& c, Visit&& visit) {
  visit("baseline", c.baseline);
  visit("candidate", c.candidate);
}

template <Is<MetricRequest> Self, class Visit>
void fields(Self& d, Visit&& visit) {
  visit("watched", d.watched);
  visit("margin", d.margin);
  visit("ceiling", d.ceiling);
  visit("require", d.require);
  visit("lead_in", d.lead_in);
  visit("missing", d.missing);
}

template <Is<Metric> Self, class Visit>
void fields(Self& m, Visit&& visit) {
  visit("name", m.name);
  visit("unit", m.unit);
  visit("direction", m.direction);
  visit("scale", m.scale);
  visit("subject", m.subject);
  visit("exact", m.exact);
  visit("supporting", m.supporting);
  visit("resolution_limit", m.resolution_limit);
  fields(m.request, visit);
}

template <Is<Rules> Self, class Visit>
void fields(Self& r, Visit&& visit) {
  visit("seed", r.seed);
  visit("margin", r.margin);
  visit("rounds_min", r.rounds_min);
  visit("rounds_max", r.rounds_max);
  visit("way", r.way);
  visit("layouts", r.layouts);
  visit("budget_ms", r.budget_ms);
}

/// What a campaign is called, without its tables.
template <Is<Design> Self, class Visit>
void fields(Self& d, Visit&& visit) {
  visit("uid", d.uid);
  visit("title", d.title);
  visit("kind", d.kind);
  visit("plan", d.plan);
  visit("plan_digest", d.plan_digest);
  visit("started", d.started);
  visit("repeat_command", d.repeat_command);
  visit("folder", d.folder);
  fields(d.rules, visit);
}

/// Without its readings and series.
template <Is<Trial> Self, class Visit>
void fields(Self& t, Visit&& visit) {
  visit("round", t.round);
  visit("cell", t.cell);
  visit("session", t.session);
  visit("role", t.role);
  visit("repeat", t.repeat);
  visit("position", t.position);
  visit("batch", t.batch);
  visit("calls", t.calls);
  visit("outcome", t.outcome);
  visit("exit_status", t.exit_status);
  visit("signal", t.signal);
  visit("output_bytes", t.output_bytes);
  visit("output_digest", t.output_digest);
  visit("latencies", t.latencies);
  visit("orphans", t.orphans);
  visit("detail", t.detail);
}

template <Is<WayChoice> Self, class Visit>
void fields(Self& c, Visit&& visit) {
  visit("workload", c.workload);
  visit("way", c.way);
  visit("reason", c.reason);
  visit("spread_in_turns", c.spread_in_turns);
  visit("spread", c.spread);
}

template <Is<SampledCode> Self, class Visit>
void fields(Self& c, Visit&& visit) {
  visit("name", c.name);
  visit("file", c.file);
}

/// Without its counts.
template <Is<SampledTrial> Self, class Visit>
void fields(Self& t, Visit&& visit) {
  visit("cell", t.cell);
  visit("round", t.round);
  visit("period", t.period);
  visit("cpu", t.cpu);
  visit("requests", t.requests);
  visit("lost", t.lost);
}

template <Is<CodeMatch> Self, class Visit>
void fields(Self& m, Visit&& visit) {
  visit("baseline", m.comparison.baseline);
  visit("candidate", m.comparison.candidate);
  visit("code", m.code);
  visit("likeness", m.likeness);
  visit("baseline_in_line", m.baseline_in_line);
  visit("candidate_in_line", m.candidate_in_line);
  visit("calls_alone", m.calls_alone);
}

template <Is<InterimLook> Self, class Visit>
void fields(Self& l, Visit&& visit) {
  visit("baseline", l.comparison.baseline);
  visit("candidate", l.comparison.candidate);
  visit("metric", l.metric);
  visit("number", l.number);
  visit("rounds", l.rounds);
  visit("p", l.p);
  visit("p_equivalence", l.p_same);
  visit("decision", l.decision);
}

/// Without the order of its trials.
template <Is<Round> Self, class Visit>
void fields(Self& r, Visit&& visit) {
  visit("number", r.number);
  visit("session", r.session);
  visit("state", r.state);
  visit("role", r.role);
}

}  // namespace assay::codec
