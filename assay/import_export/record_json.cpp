#include <algorithm>
#include <vector>

#include "assay/codec/json.hpp"
#include "assay/import_export/import_export.hpp"
#include "assay/model/enum_names.hpp"
#include "assay/model/error.hpp"
#include "assay/model/log.hpp"
#include "assay/model/redact.hpp"
#include "assay/stats/log_histogram.hpp"

namespace assay::import_export {
namespace {

using codec::CorruptData;
using codec::fields_from_json;
using codec::fields_json;
using codec::Json;
using codec::OrderedJson;

/// What every format of this kind begins with, and the one that is written and read.
constexpr const char* record_format = "assay record ";
constexpr const char *current_format = "assay record 6", *without_libraries = "assay record 5",
                     *without_samples = "assay record 4", *without_ways = "assay record 3";

/// `program`: the same number for the same path, which is left out.
OrderedJson candidate_json(const Candidate& candidate, std::vector<std::string>& programs) {
  auto json = fields_json(candidate, {"exe"});
  const auto known = std::ranges::find(programs, candidate.from.exe);
  json["program"] = known - programs.begin();
  if (known == programs.end()) programs.push_back(candidate.from.exe);
  return json;
}

OrderedJson trial_json(const Trial& trial) {
  auto json = fields_json(trial, {"detail"});
  if (trial.outcome == Outcome::discarded) json["detail"] = trial.detail;  // no program's words
  json["readings"] = OrderedJson::array();
  for (const auto& reading : trial.readings)
    json["readings"].push_back({reading.metric.value, reading.value});
  return json;
}

const Json& part(const Json& json, const char* name) {
  const auto found = json.find(name);
  if (found == json.end()) throw CorruptData("\"" + std::string(name) + "\" is missing in it");
  return *found;
}

const Json& list(const Json& json, const char* name) {
  const auto& found = part(json, name);
  if (!found.is_array()) throw CorruptData("\"" + std::string(name) + "\" is no list");
  return found;
}

std::int64_t whole(const Json& json) {
  std::int64_t number = 0;
  codec::field_from_json(json, number);
  return number;
}

/// A document of an older format; campaigns of the oldest ran in turns or abreast.
void bring_up_to_date(Json& document, const std::string& format) {
  if (format == without_ways) {
    document["way"] = document.value("abreast", false) ? "abreast" : "turns";
    document["ways"] = Json::array();
  }
  for (const char* name : {"code", "sampled", "code_matches", "sample_remarks"})
    document[name] = Json::array();
}

OrderedJson sampled_json(const SampledTrial& trial) {
  auto json = fields_json(trial);
  json["spent"] = OrderedJson::array();
  for (const auto& count : trial.counts) {
    json["spent"].push_back({count.code.value, count.samples});
    if (count.library) json["spent"].back().push_back(count.library->value);
  }
  return json;
}

template <class T>
T read(const Json& json) {
  T value{};
  fields_from_json(json, value);
  return value;
}

void read_design(const Json& json, Design& design) {
  fields_from_json(json, design);
  for (const auto& c : list(json, "candidates")) {
    auto candidate = read<Candidate>(c);
    candidate.from.exe = "program " + std::to_string(whole(part(c, "program")));
    design.candidates.add(std::move(candidate));
  }
  for (const auto& w : list(json, "workloads")) design.workloads.add(read<Workload>(w));
  for (const auto& f : list(json, "factors")) design.factors.push_back(read<Factor>(f));
  for (const auto& c : list(json, "cells"))
    design.cells.add({.candidate = {whole(part(c, "candidate"))},
                      .workload = {whole(part(c, "workload"))},
                      .setting = codec::setting_of(part(c, "setting"))});
  for (const auto& c : list(json, "comparisons")) {
    if (!c.is_array() || c.size() != 2) throw CorruptData("a comparison in it is no pair of cells");
    design.comparisons.push_back({CellId{whole(c[0])}, CellId{whole(c[1])}});
  }
  for (const auto& m : list(json, "metrics")) design.metrics.add(read<Metric>(m));
}

void read_code_samples(const Json& json, CodeSampleLog& samples) {
  for (const auto& c : list(json, "code")) samples.code.add(read<SampledCode>(c));
  for (const auto& t : list(json, "sampled")) {
    auto& trial = samples.trials.emplace_back(read<SampledTrial>(t));
    for (const auto& count : list(t, "spent")) {
      constexpr std::size_t in_code = 2, in_library = 3;
      if (!count.is_array() || (count.size() != in_code && count.size() != in_library))
        throw CorruptData("samples in it are no pair, nor three numbers");
      trial.counts.push_back({.code = {whole(count[0])}, .library = {}, .samples = whole(count[1])});
      if (count.size() == in_library) trial.counts.back().library = CodeId{whole(count[in_code])};
    }
  }
  for (const auto& m : list(json, "code_matches")) samples.matches.push_back(read<CodeMatch>(m));
  for (const auto& r : list(json, "sample_remarks"))
    codec::field_from_json(r, samples.remarks.emplace_back());
}

void read_log(const Json& json, Log& log) {
  codec::field_from_json(part(json, "state"), log.state);
  WorkloadId workload;
  for (const auto& w : list(json, "workloads")) {
    std::string doubt;
    if (w.contains("check_warning")) codec::field_from_json(w["check_warning"], doubt);
    if (!doubt.empty()) log.check_warnings.push_back({workload, doubt});
    ++workload.value;
  }
  CellId cell;
  for (const auto& c : list(json, "cells")) {
    CellStatus state;
    codec::field_from_json(part(c, "status"), state.code);
    codec::field_from_json(part(c, "detail"), state.detail);
    if (!state.is_ok()) log.status_changes.push_back({cell, std::move(state)});
    ++cell.value;
  }
  for (const auto& s : list(json, "sessions")) {
    if (!s.is_object()) throw CorruptData("a session in it is no object");
    Session session;
    for (const auto& [name, value] : s.items()) {
      auto& fact = session.facts.emplace_back(MachineFact{.name = name, .value = {}});
      codec::field_from_json(value, fact.value);
    }
    log.sessions.add(std::move(session));
  }
  for (const auto& choice : list(json, "ways")) log.ways.push_back(read<WayChoice>(choice));
  for (const auto& r : list(json, "rounds")) fields_from_json(r, log.rounds.emplace_back());
  for (const auto& t : list(json, "trials")) {
    auto& trial = log.trials.emplace_back();
    fields_from_json(t, trial);
    stats::LogHistogram::of_text(trial.latencies);  // throws where it is damaged
    for (const auto& reading : list(t, "readings")) {
      if (!reading.is_array() || reading.size() != 2) throw CorruptData("a reading in it is no pair");
      auto& read = trial.readings.emplace_back(Reading{.metric = {whole(reading[0])}});
      codec::field_from_json(reading[1], read.value);
    }
  }
}

}  // namespace

std::string record_to_json(const Record& of) {
  const auto record = redacted(of);
  const auto& design = record.design;
  OrderedJson document = {{"format", current_format}};
  document.update(fields_json(design, {"uid", "plan", "plan_digest", "repeat_command", "folder"}));
  document["state"] = to_string(record.log.state);
  for (const char* name :
       {"candidates", "workloads", "factors", "cells", "comparisons", "metrics", "sessions", "ways", "rounds",
        "trials", "code", "sampled", "code_matches", "sample_remarks"})
    document[name] = OrderedJson::array();
  std::vector<std::string> programs;
  for (const auto& candidate : design.candidates)
    document["candidates"].push_back(candidate_json(candidate, programs));
  for (const auto id : design.workloads.ids()) {
    auto json = fields_json(design.workloads[id]);
    json["check_warning"] = find_check_warning(record.log, id);
    document["workloads"].push_back(std::move(json));
  }
  for (const auto& factor : design.factors) document["factors"].push_back(fields_json(factor));
  const auto states = cell_statuses(design, record.log);
  for (const auto id : design.cells.ids())
    document["cells"].push_back({{"candidate", design.cells[id].candidate.value},
                                 {"workload", design.cells[id].workload.value},
                                 {"setting", codec::setting_json(design.cells[id].setting)},
                                 {"status", to_string(states[id].code)},
                                 {"detail", states[id].detail}});
  for (const auto& comparison : design.comparisons)
    document["comparisons"].push_back({comparison.baseline.value, comparison.candidate.value});
  for (const auto& metric : design.metrics) document["metrics"].push_back(fields_json(metric));
  for (const auto& session : record.log.sessions) {
    auto facts = OrderedJson::object();
    for (const auto& fact : session.facts) facts[fact.name] = fact.value;
    document["sessions"].push_back(std::move(facts));
  }
  for (const auto& choice : record.log.ways) document["ways"].push_back(fields_json(choice));
  for (const auto& round : record.log.rounds) document["rounds"].push_back(fields_json(round));
  for (const auto& trial : record.log.trials) document["trials"].push_back(trial_json(trial));
  for (const auto& code : record.log.samples.code) document["code"].push_back(fields_json(code));
  for (const auto& trial : record.log.samples.trials) document["sampled"].push_back(sampled_json(trial));
  for (const auto& match : record.log.samples.matches) document["code_matches"].push_back(fields_json(match));
  for (const auto& remark : record.log.samples.remarks) document["sample_remarks"].push_back(remark);
  return codec::text_of(document, 1) + "\n";
}

bool is_record(const std::string& text) {
  constexpr std::size_t enough = 200;  // the format stands first
  const auto head = text.substr(0, enough);
  return head.find(record_format) != std::string::npos;
}

Record record_from_json(const std::string& text, const std::string& name, const std::string& uid) try {
  auto document = codec::parse_json(text);
  if (!document) throw CorruptData("it is no JSON, or nests too deeply");
  const auto format = document->value("format", std::string{});
  if (format == without_ways || format == without_samples)
    bring_up_to_date(*document, format);
  else if (format != without_libraries && format != current_format)
    throw CorruptData("its format is \"" + format + "\", this program reads \"" + current_format + "\"");
  Record record;
  read_design(*document, record.design);
  read_log(*document, record.log);
  read_code_samples(*document, record.log.samples);
  record.design.uid = uid;
  if (const auto wrong = find_inconsistency(record); !wrong.empty()) throw CorruptData(wrong);
  return record;
} catch (const Error& error) {
  throw Error("this export is damaged: " + error.problem(), name, "export it again");
} catch (const Json::exception& error) {
  throw Error("this export is damaged: " + std::string(error.what()), name, "export it again");
}

}  // namespace assay::import_export
