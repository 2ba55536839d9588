#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <algorithm>
#include <boost/property_tree/ptree.hpp>
#include <boost/property_tree/xml_parser.hpp>
#include <nlohmann/json.hpp>
#include <sstream>

#include "support/tool.hpp"

namespace assay {
namespace {

using nlohmann::json;
using test::assay;
using test::Scratch;
using testing::HasSubstr;
using testing::Not;

const std::string formula = "=1+2\x1b[2J\x1b]0;mine\x07 @threads|<script>`x`";
const std::string eraser = "-b\rall is well\x1b[31m\xe2\x80\xae <img src=x>";

/// A campaign of two programs that are called so.
class HostileNames : public testing::Test {
 protected:
  void SetUp() override {
    const auto ran = tool({"duel", "--rounds", "7", "--names", formula + "," + eraser, BEHAVE, "spin",
                           "0.002", "vs", BEHAVE, "spin", "0.02"});
    ASSERT_EQ(ran.status, 0) << ran.err;
    expect_harmless(ran.out);
    expect_harmless(ran.err);
  }
  test::Ran tool(const std::vector<std::string>& arguments) { return assay(scratch_, arguments); }

  static void expect_harmless(const std::string& text) {
    EXPECT_TRUE(std::ranges::none_of(text, [](char c) {
      return (static_cast<unsigned char>(c) < 0x20 && c != '\n' && c != '\t') || c == 0x7f;
    })) << text;
    EXPECT_THAT(text, Not(HasSubstr("\xe2\x80\xae"))) << "from right to left";
  }

  Scratch scratch_;
};

TEST_F(HostileNames, ReachNoTerminalRaw) {
  for (const auto& command : std::vector<std::vector<std::string>>{{"verdict"},
                                                                   {"verdict", "--trials", "--notes"},
                                                                   {"gate", "--all"},
                                                                   {"ledger"},
                                                                   {"verdict", eraser}}) {
    const auto ran = tool(command);
    EXPECT_FALSE(ran.out.empty() && ran.err.empty());
    expect_harmless(ran.out);
    expect_harmless(ran.err);
  }
}

TEST_F(HostileNames, JsonKeepsThem) {
  const auto finding = json::parse(tool({"verdict", "--json"}).out)["findings"][0];
  EXPECT_EQ(finding["baseline"], formula);
  EXPECT_EQ(finding["candidate"], eraser);
}

TEST_F(HostileNames, CsvHasNoFormulasAndReadsBack) {
  const auto csv = tool({"export"}).out;
  std::istringstream lines(csv);
  for (std::string line; std::getline(lines, line);)
    EXPECT_EQ(std::string("=+-@").find(line.empty() ? 'x' : line[line[0] == '"' ? 1 : 0]), std::string::npos)
        << line;
  const auto file = scratch_.file("t.csv", csv);
  const auto finding =
      json::parse(tool({"import", "--json", file, "--baseline", formula}).out)["findings"][0];
  EXPECT_EQ(finding["baseline"], formula);
  EXPECT_EQ(finding["candidate"], eraser);
}

TEST_F(HostileNames, MarkdownShowsThemAsText) {
  const auto markdown = tool({"report", "--as", "markdown", "--gate"}).out;
  expect_harmless(markdown);
  for (const char* markup : {"<script", "<img", "`x`"}) EXPECT_THAT(markdown, Not(HasSubstr(markup)));
  std::istringstream lines(markdown);
  std::size_t cells = 0, tables = 0;
  for (std::string line; std::getline(lines, line);) {
    if (!line.starts_with("|")) cells = 0;  // the table is over
    if (!line.starts_with("| ")) continue;
    tables += cells == 0 ? 1U : 0U;
    std::size_t bars = 0;
    for (std::size_t i = 0; i < line.size(); ++i)
      bars += line[i] == '|' && (i == 0 || line[i - 1] != '\\') ? 1U : 0U;
    if (cells == 0) cells = bars;
    EXPECT_EQ(bars, cells) << line;
  }
  EXPECT_EQ(tables, 2U) << "every change, and all metrics";
}

TEST_F(HostileNames, MarkdownLinksToNothing) {
  const Scratch scratch;
  const auto ran = assay(
      scratch, {"duel", "--rounds", "6", "--names",
                "see http://locks.example/GH-7,@keeper #12 www.locks.example", "true", "vs", "true", "x"});
  ASSERT_EQ(ran.status, 0) << ran.err;
  const auto markdown = assay(scratch, {"report", "--as", "markdown"}).out;
  EXPECT_THAT(markdown, HasSubstr("see http://<!-- -->locks.example/GH-<!-- -->7"));
  EXPECT_THAT(markdown, HasSubstr("\\@<!-- -->keeper \\#<!-- -->12 www.<!-- -->locks.example"));
  const auto table = markdown.substr(0, markdown.find("```"));  // code is not searched for links
  for (const char* link : {"http://l", "GH-7", "@k", "#1", "www.l"}) EXPECT_THAT(table, Not(HasSubstr(link)));
}

TEST_F(HostileNames, MakeValidXml) {
  tool({"gate", "--junit", scratch_.path("gate.xml")});
  const auto text = test::read_file(scratch_.path("gate.xml"));
  expect_harmless(text);
  std::istringstream in(text);
  boost::property_tree::ptree tree;
  ASSERT_NO_THROW(boost::property_tree::read_xml(in, tree));
  EXPECT_THAT(tree.get<std::string>("testsuites.testsuite.testcase.<xmlattr>.name"),
              HasSubstr("<img src=x>"));
}

}  // namespace
}  // namespace assay
