#include "assay/render/gate.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <boost/property_tree/ptree.hpp>
#include <boost/property_tree/xml_parser.hpp>
#include <sstream>

namespace assay::render {
namespace {

std::size_t count(const GateResult& gate, GateStatus status) {
  return static_cast<std::size_t>(std::ranges::count(gate.reasons, status, &GateReason::status));
}

}  // namespace

std::string to_text(const GateResult& gate, bool all) {
  std::string text = gate.status == GateStatus::passed   ? "the gate passes\n"
                     : gate.status == GateStatus::failed ? "the gate does not pass\n"
                     : gate.passes ? "the gate passes, but something is UNDECIDED: more rounds would tell\n"
                                   : "the gate does not pass: something is undecided\n";
  if (!gate.caution.empty()) text += "  careful: " + gate.caution + "\n";
  for (const auto& reason : gate.reasons)
    if (all || reason.status != GateStatus::passed)
      text += fmt::format("  {}: {}: {}\n", to_string(reason.status), reason.about, reason.text);
  const auto passed = count(gate, GateStatus::passed);
  if (!all && passed > 0) text += fmt::format("  passed: {} of {}\n", passed, gate.reasons.size());
  return text;
}

std::string to_junit(const GateResult& gate, const std::string& title) {
  using boost::property_tree::ptree;
  ptree suite;
  const bool undecided_fails = gate.status == GateStatus::undecided && !gate.passes;
  const auto failed = count(gate, GateStatus::failed), undecided = count(gate, GateStatus::undecided);
  suite.put("<xmlattr>.name", title.empty() ? "assay gate" : title);
  suite.put("<xmlattr>.tests", gate.reasons.size());
  suite.put("<xmlattr>.failures", failed + (undecided_fails ? undecided : 0));
  suite.put("<xmlattr>.skipped", undecided_fails ? 0 : undecided);
  if (!gate.caution.empty()) {
    suite.put("properties.property.<xmlattr>.name", "careful");
    suite.put("properties.property.<xmlattr>.value", gate.caution);
  }
  for (const auto& reason : gate.reasons) {
    ptree test;
    test.put("<xmlattr>.classname", "assay");
    test.put("<xmlattr>.name", reason.about);
    const bool undecided_one = reason.status == GateStatus::undecided;
    if (reason.status == GateStatus::failed || (undecided_one && undecided_fails))
      test.put("failure.<xmlattr>.message", reason.text);
    else if (undecided_one)
      test.put("skipped.<xmlattr>.message", reason.text);
    else
      test.put("system-out", reason.text);
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
