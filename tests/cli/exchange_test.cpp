#include <fmt/format.h>
#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <filesystem>
#include <nlohmann/json.hpp>

#include "support/tool.hpp"

namespace assay {
namespace {
using nlohmann::json;
using test::assay;
using test::Scratch;
using testing::HasSubstr;

/// R's data set `sleep`: extra hours of ten patients under two drugs.
const std::string sleep_csv = [] {
  const double first[] = {0.7, -1.6, -0.2, -1.2, -0.1, 3.4, 3.7, 0.8, 0, 2};
  const double second[] = {1.9, 0.8, 1.1, 0.1, -0.1, 4.4, 5.5, 1.6, 4.6, 3.4};
  std::string text = "candidate,metric,value,round,prefer\n";
  for (int i = 0; i < 10; ++i) {
    text += "one,extra," + std::to_string(first[i]) + "," + std::to_string(i + 1) + ",higher\n";
    text += "two,extra," + std::to_string(second[i]) + "," + std::to_string(i + 1) + ",higher\n";
  }
  return text;
}();

json imported(const Scratch& scratch, const std::vector<std::string>& arguments) {
  auto all = std::vector<std::string>{"import", "--json"};
  all.insert(all.end(), arguments.begin(), arguments.end());
  const auto ran = assay(scratch, all);
  EXPECT_EQ(ran.status, 0) << ran.err;
  return json::parse(ran.out);
}

TEST(Import, JudgesPairedSamples) {
  const Scratch scratch;
  const auto found = imported(scratch, {scratch.file("sleep.csv", sleep_csv), "--difference"})["findings"][0];
  // R 4.2: with(sleep, wilcox.test(extra[group == 2], extra[group == 1], paired = TRUE, conf.int = TRUE))
  // says 1.4 (1.05 to 2.95), p = 0.009091, by the normal approximation, since one difference is zero and two
  // are tied. The exact count here keeps the zero: t = 1 of 10 pairs, 2·P(T ≤ 1) = 2·2/1024.
  EXPECT_NEAR(found["p"].get<double>(), 2 * 2 / 1024.0, 1e-12);
  EXPECT_NEAR(found["difference"].get<double>(), 1.3, 0.15);
  EXPECT_EQ(found["verdict"], "better");
}

TEST(Import, JudgesUnpairedSamples) {
  const Scratch scratch;
  // R's InsectSprays, sprays C and F.
  const int c[] = {0, 1, 7, 2, 3, 1, 2, 1, 3, 0, 1, 4}, f[] = {11, 9, 15, 22, 15, 16, 13, 10, 26, 26, 24, 13};
  std::string text = "candidate,metric,value\n";
  for (const int count : c) text += "C,count," + std::to_string(count) + "\n";
  for (const int count : f) text += "F,count," + std::to_string(count) + "\n";
  const auto document = imported(scratch, {scratch.file("sprays.csv", text), "--difference"});
  const auto found = document["findings"][0];
  // R 4.2: coin::wilcox_test(count ~ spray, droplevels(subset(InsectSprays, spray %in% c("C", "F"))),
  // distribution = "exact"): p = 7.396e-07, the least there is, 2/choose(24, 12); wilcox.test's shift is 14
  // (11 to 20 with ties).
  EXPECT_NEAR(found["p"].get<double>(), 2 / 2704156.0, 1e-9);
  EXPECT_NEAR(found["difference"].get<double>(), 13, 1e-9);
  EXPECT_THAT(found["notes"][0]["text"].get<std::string>(), HasSubstr("not side by side"));
  const auto refused = assay(scratch, {"gate"});
  EXPECT_EQ(refused.status, 2) << "what did not run side by side is not gated";
  EXPECT_THAT(refused.err, HasSubstr("add --apart"));
  const auto insisted = assay(scratch, {"gate", "--apart"});
  EXPECT_EQ(insisted.status, 1) << insisted.out;
  EXPECT_THAT(insisted.out, HasSubstr("warning: nothing of this ran side by side"));
}

TEST(Import, TakesFactorsAndJson) {
  const Scratch scratch;
  // R's warpbreaks: breaks of two wools under three tensions, as nine looms each.
  const int breaks[] = {26, 30, 54, 25, 70, 52, 51, 26, 67, 18, 21, 29, 17, 12, 18, 35, 30, 36,
                        36, 21, 24, 18, 10, 43, 28, 15, 26, 27, 14, 29, 19, 29, 31, 41, 20, 44,
                        42, 26, 19, 16, 39, 28, 21, 39, 29, 20, 21, 24, 17, 13, 15, 15, 16, 28};
  json samples = json::array();
  for (int i = 0; i < 54; ++i)
    samples.push_back({{"candidate", i < 27 ? "A" : "B"},
                       {"metric", "breaks"},
                       {"value", breaks[i]},
                       {"tension", std::string(1, "LMH"[i / 9 % 3])}});
  const auto document = imported(scratch, {scratch.file("warp.json", samples.dump()), "--factor", "tension"});
  ASSERT_EQ(document["findings"].size(), 3U);
  EXPECT_EQ(document["findings"][0]["setting"]["tension"], "L");
  // R 4.2: coin::wilcox_test(breaks ~ wool, subset(warpbreaks, tension == "L"), distribution = "exact"): p =
  // 0.08938708.
  EXPECT_NEAR(document["findings"][0]["p"].get<double>(), 0.08938708, 1e-8);
}

TEST(Import, NamesBadRowsByLine) {
  const Scratch scratch;
  const auto problem = [&](const std::string& text, const std::vector<std::string>& more = {}) {
    auto arguments = std::vector<std::string>{"import", scratch.file("s.csv", text)};
    arguments.insert(arguments.end(), more.begin(), more.end());
    const auto ran = assay(scratch, arguments);
    EXPECT_EQ(ran.status, 2);
    return ran.err;
  };
  const std::string head = "candidate,metric,value,round\n";
  EXPECT_THAT(problem(head + "a,t,1,1\nb,t,x,1\n"),
              HasSubstr("s.csv:3, column value: \"x\" is not a finite number"));
  EXPECT_THAT(problem(head + "a,t,nan,1\n"),
              HasSubstr("s.csv:2, column value: \"nan\" is not a finite number"));
  EXPECT_THAT(problem(head + "a,t,1\n"), HasSubstr("s.csv:2: 3 fields, and the header has 4"));
  EXPECT_THAT(problem(head + "a,t,1,1\na,t,2,1\n"), HasSubstr("s.csv:3, column round: a second value"));
  EXPECT_THAT(problem(head + ",t,1,1\n"), HasSubstr("s.csv:2, column candidate: a row without a candidate"));
  EXPECT_THAT(problem(head + "a,t,1,one\n"), HasSubstr("\"one\" is not the number of a round"));
  EXPECT_THAT(problem("candidate,metric,value,locks\na,t,1,5\n"),
              HasSubstr("columns that are not known: locks"));
  EXPECT_THAT(problem("candidate,value\na,1\n"), HasSubstr("there is no column \"metric\""));
  EXPECT_THAT(problem(head + "a,t,1,1\nb,t,1,1\n", {"--baseline", "c"}), HasSubstr("known here: a, b"));
  EXPECT_THAT(problem(head + "a,t,1,1\n"), HasSubstr("fewer than two candidates"));
  EXPECT_THAT(problem(head + "a,\"t,1,1\n"), HasSubstr("this is not CSV"));
  EXPECT_THAT(problem(""), HasSubstr("nothing"));
  const auto empty = assay(scratch, {"import", scratch.file("s.json", "[{}]")});
  EXPECT_EQ(empty.status, 2);
  EXPECT_THAT(empty.err, HasSubstr("entry 1: there is no column \"candidate\""));
}

/// A quick duel whose findings are kept.
void measure(const Scratch& scratch) {
  const auto ran = assay(scratch, {"duel", "--rounds", "7", "--names",
                                   "<img src=x onerror=alert(1)>,</script>\"'&", "true", "vs", "true"});
  ASSERT_EQ(ran.status, 0) << ran.err;
}

TEST(Export, ImportedAgainGivesTheSameFindings) {
  const Scratch scratch;
  measure(scratch);
  const auto before = json::parse(assay(scratch, {"verdict", "--json"}).out);
  const auto file = scratch.file("all.json", assay(scratch, {"export", "--as", "json"}).out);
  const auto after = imported(scratch, {file});
  EXPECT_EQ(after["findings"], before["findings"]);
  EXPECT_EQ(after["notes"], before["notes"]);
  EXPECT_NE(after["campaign"]["id"], before["campaign"]["id"]);
  const auto csv = assay(scratch, {"export"}).out;
  EXPECT_THAT(csv, HasSubstr("candidate,workload,metric,value,round,unit,prefer\n"));
  const auto from_csv = imported(scratch, {scratch.file("t.csv", csv)});
  for (const auto& f : from_csv["findings"])
    if (f["metric"] == "wall time") {
      EXPECT_EQ(f["rounds"], 7);
    }
}

TEST(Export, FailsOnAWriteError) {
  const Scratch scratch;
  measure(scratch);
  for (const char* command :
       {"verdict --json", "verdict", "export", "export --as json", "report --as markdown"}) {
    const auto ran =
        test::run(scratch, {"/bin/sh", "-c", std::string(ASSAY_TOOL) + " " + command + " >/dev/full"});
    EXPECT_EQ(ran.status, 2) << command;
    EXPECT_THAT(ran.err, HasSubstr("written")) << command;
  }
}

TEST(Export, RepeatsComeBack) {
  const Scratch scratch;
  ASSERT_EQ(
      assay(scratch, {"duel", "--names", "slow,quick", BEHAVE, "spin", "0.2", "vs", BEHAVE, "spin", "0.005"})
          .status,
      0);
  const auto before = json::parse(assay(scratch, {"verdict", "--json"}).out)["findings"][0];
  const auto csv = assay(scratch, {"export"}).out;
  EXPECT_THAT(csv, HasSubstr("candidate,workload,metric,value,round,repeat,unit,prefer\n"));
  const auto after = imported(scratch, {scratch.file("t.csv", csv), "--baseline", "slow"})["findings"][0];
  EXPECT_EQ(after["metric"], before["metric"]);
  EXPECT_EQ(after["repeats"], before["repeats"]);
  EXPECT_EQ(after["ratio"], before["ratio"]);
  const auto refused =
      assay(scratch, {"import", scratch.file("u.csv", "candidate,metric,value,repeat\na,m,1,0\n")});
  EXPECT_EQ(refused.status, 2);
  EXPECT_THAT(refused.err, HasSubstr("column repeat"));
}

TEST(Report, WritesAPageAndMarkdownInWhichNamesAreOnlyText) {
  const Scratch scratch;
  measure(scratch);
  ASSERT_EQ(assay(scratch, {"report", "-o", scratch.path("p.html")}).status, 0);
  const auto whole = test::read_file(scratch.path("p.html"));
  const auto page = whole.substr(0, whole.find("<script>"));  // before the libraries
  EXPECT_THAT(page, HasSubstr("&lt;img src=x onerror=alert(1)&gt;"));
  EXPECT_THAT(page, testing::Not(HasSubstr("<img")));
  EXPECT_EQ(page.find("</script>\""), std::string::npos) << "of the data, too";
  const auto markdown = assay(scratch, {"report", "--as", "markdown", "--gate"});
  EXPECT_THAT(markdown.out, HasSubstr("&lt;img"));
  EXPECT_THAT(markdown.out, HasSubstr("| candidate | where |"));
  EXPECT_EQ(assay(scratch, {"report", "--as", "pdf"}).status, 2);
}

TEST(Report, RendersInABrowser) {
  const std::string browser = "/usr/bin/chromium";
  if (!std::filesystem::exists(browser)) GTEST_SKIP() << "there is no Chromium here";
  const Scratch scratch;
  measure(scratch);
  ASSERT_EQ(assay(scratch, {"report", "-o", scratch.path("p.html")}).status, 0);
  if (test::read_file(scratch.path("p.html")).find("could not be fetched when this was built") !=
      std::string::npos)
    GTEST_SKIP() << "built without the chart libraries";
  // A reader who filters, and opens the trials of a row by keyboard; what they see is put into the title.
  auto page = test::read_file(scratch.path("p.html"));
  page.insert(page.rfind("</body>"), R"(<script>
addEventListener('load', async () => {
  const until = async true_now => { while (!true_now()) await new Promise(done => setTimeout(done, 20)); };
  await until(() => document.body.dataset.ready);
  const filter = document.getElementById('filter');
  const rows = () => [...document.querySelectorAll('tr[data-text]')].filter(row => !row.hidden).length;
  const type = text => { filter.value = text; filter.dispatchEvent(new Event('input')); return rows(); };
  const all = rows(), none = type('no such row'), some = type('SCRIPT'), again = type('');
  const button = document.querySelector('button[data-detail]');
  button.focus();
  const focused = document.activeElement === button;
  button.click();
  await until(() => document.querySelector('tr.detail svg'));
  const dots = document.querySelectorAll('tr.detail .mark-symbol path').length;
  const saved = [...document.querySelectorAll('.vega-actions a')].map(a => a.download).filter(Boolean).length;
  button.click();
  const closed = !document.querySelector('tr.detail');
  document.querySelectorAll('details').forEach(part => part.open = true);
  await until(() => !document.querySelector('[data-chart]:not([data-drawn])'));
  const folded = [...document.querySelectorAll('details [data-chart] svg.marks')].every(svg => svg.getBoundingClientRect().width > 300);
  document.title = JSON.stringify({all, none, some, again, focused, dots, saves: saved > 0, closed, folded});
});
</script>)");
  const auto driven = scratch.file("driven.html", page);
  const auto ran =
      test::run(scratch, {browser, "--headless", "--no-sandbox", "--disable-gpu", "--disable-dev-shm-usage",
                          "--virtual-time-budget=60000", "--dump-dom", "file://" + driven});
  EXPECT_THAT(ran.out, HasSubstr("data-ready=\"yes\""));
  EXPECT_THAT(ran.out, testing::Not(HasSubstr("data-errors")));
  EXPECT_THAT(ran.out, HasSubstr("<svg"));
  EXPECT_THAT(ran.out.substr(0, ran.out.find("<script")), testing::Not(HasSubstr("<img")));
  const auto from = ran.out.find("<title>") + 7;
  const auto seen = ran.out.substr(from, ran.out.find("</title>") - from);
  EXPECT_EQ(
      seen,
      R"({"all":1,"none":0,"some":1,"again":1,"focused":true,"dots":14,"saves":true,"closed":true,"folded":true})");
}

TEST(Gate, HoldsTwoCampaignsAgainstEachOtherOnlyOnRequest) {
  const Scratch scratch;
  const auto import_of = [&](const std::string& name, double value) {
    std::string text = "candidate,metric,value,round,unit\n";
    for (int round = 1; round <= 12; ++round)
      for (const char* candidate : {"list", "heap"})
        text += fmt::format("{},wall time,{},{},s\n", candidate, value * (1 + 0.001 * (round % 5)), round);
    (void)imported(scratch, {scratch.file(name, text)});
  };
  import_of("before.csv", 1);
  ASSERT_EQ(assay(scratch, {"ledger", "name", "last", "before"}).status, 0);
  import_of("slower.csv", 1.05);
  EXPECT_EQ(assay(scratch, {"gate", "before", "last"}).status, 2);
  const auto slower = assay(scratch, {"gate", "before", "last", "--apart", "--junit", scratch.path("g.xml")});
  EXPECT_EQ(slower.status, 1);
  EXPECT_THAT(slower.out, HasSubstr("warning: nothing of this ran side by side"));
  EXPECT_THAT(test::read_file(scratch.path("g.xml")), HasSubstr("name=\"warning\""));
  EXPECT_EQ(assay(scratch, {"gate", "last", "last", "--apart"}).status, 0);
}

TEST(Gate, AnswersByItsExitStatusAndWritesJUnit) {
  const Scratch scratch;
  scratch.file("assay.toml", std::string(R"([rounds]
min = 7
max = 14
twin = false
[gate]
allow = "50 %"
undecided = "fail"
[[candidate]]
name = "quick"
run = [")") + BEHAVE + R"(", "spin", "0.005"]
[[candidate]]
name = "slow"
run = [")" + BEHAVE + R"(", "spin", "0.05"]
[[workload]]
name = "w"
)");
  ASSERT_EQ(assay(scratch, {"run"}).status, 0);
  const auto ran = assay(scratch, {"gate", "--junit", scratch.path("g.xml")});
  EXPECT_EQ(ran.status, 1);
  EXPECT_THAT(ran.out, HasSubstr("the gate does not pass\n  failed: slow, wall time"));
  EXPECT_THAT(test::read_file(scratch.path("g.xml")), HasSubstr("failures=\"1\""));
  EXPECT_EQ(assay(scratch, {"gate", "--allow", "9000%"}).status, 2) << "no such share";
  const auto apart = assay(scratch, {"verdict", "last", "last"});
  EXPECT_THAT(apart.out, HasSubstr("not side by side"));
}

}  // namespace
}  // namespace assay
