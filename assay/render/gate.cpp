#include <fmt/format.h>

#include <algorithm>
#include <boost/property_tree/ptree.hpp>
#include <boost/property_tree/xml_parser.hpp>
#include <sstream>

#include "assay/metrics/catalogue.hpp"
#include "assay/model/enum_names.hpp"
#include "assay/model/redact.hpp"
#include "assay/model/text.hpp"
#include "assay/render/documents.hpp"
#include "assay/report/note_text.hpp"

namespace assay::render {

using namespace report;  // its words
namespace {

constexpr const char* apart_caution =
    "nothing of this ran side by side, so what changed besides the candidates counts as well";

std::size_t count(const GateResult& gate, GateStatus status) {
  return static_cast<std::size_t>(std::ranges::count(gate.reasons, status, &GateReason::status));
}

}  // namespace

std::string headline(const GateResult& gate) {
  return gate.status == GateStatus::passed   ? "the gate passes"
         : gate.status == GateStatus::failed ? "the gate does not pass"
         : gate.passes ? "the gate passes, but something is UNDECIDED: more rounds would tell"
                       : "the gate does not pass: something is undecided";
}

std::vector<std::string> reasons_of(const GateResult& gate, const Design& design, bool all) {
  std::vector<std::string> lines;
  if (gate.unpaired) lines.push_back(std::string("warning: ") + apart_caution);
  for (const auto& reason : gate.reasons) {
    if (!all && reason.status == GateStatus::passed) continue;
    const auto [about, text] = note_text(design, reason);
    lines.push_back(fmt::format("{}: {}: {}", to_string(reason.status), about, text));
  }
  const auto passed = count(gate, GateStatus::passed);
  if (!all && passed > 0) lines.push_back(fmt::format("passed: {} of {}", passed, gate.reasons.size()));
  return lines;
}

std::string to_text(const GateResult& gate, const Design& design, bool all) {
  auto text = headline(gate) + "\n";
  for (const auto& line : reasons_of(gate, design, all)) text += "  " + line + "\n";
  return text;
}

std::string to_junit(const GateResult& gate, const Design& design, const std::string& where) {
  using boost::property_tree::ptree;
  ptree suite;
  const bool undecided_fails = gate.status == GateStatus::undecided && !gate.passes;
  const auto failed = count(gate, GateStatus::failed), undecided = count(gate, GateStatus::undecided);
  suite.put("<xmlattr>.name", printable(design.title.empty() ? "assay gate" : design.title));
  suite.put("<xmlattr>.tests", gate.reasons.size());
  suite.put("<xmlattr>.failures", failed + (undecided_fails ? undecided : 0));
  suite.put("<xmlattr>.skipped", undecided_fails ? 0 : undecided);
  if (gate.unpaired) {
    suite.put("properties.property.<xmlattr>.name", "warning");
    suite.put("properties.property.<xmlattr>.value", apart_caution);
  }
  for (const auto& reason : gate.reasons) {
    ptree test;
    test.put("<xmlattr>.classname", "assay");
    const auto [about, words] = note_text(design, reason);
    const auto text = printable(shorten_local_paths(words, design.folder));  // XML has no control characters
    test.put("<xmlattr>.name", printable(about));
    const bool undecided_one = reason.status == GateStatus::undecided;
    if (reason.status == GateStatus::failed || (undecided_one && undecided_fails)) {
      const bool on_time = reason.metric && metrics::is_time(design.metrics[*reason.metric]);
      auto& failure =
          test.put("failure", on_time ? printable(shorten_local_paths(where, design.folder)) : "");
      failure.put("<xmlattr>.message", text);
    } else if (undecided_one) {
      test.put("skipped.<xmlattr>.message", text);
    } else {
      test.put("system-out", text);
    }
    suite.add_child("testcase", test);
  }
  ptree root;
  root.add_child("testsuites.testsuite", suite);
  std::ostringstream out;
  boost::property_tree::write_xml(out, root,
                                  boost::property_tree::xml_writer_make_settings<std::string>(' ', 2));
  return out.str();
}

}  // namespace assay::render
