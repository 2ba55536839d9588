#include "assay/report/format.hpp"

#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include "assay/judge/judge.hpp"
#include "assay/metrics/catalogue.hpp"
#include "assay/render/documents.hpp"
#include "assay/report/sentence.hpp"
#include "assay/stats/random.hpp"
#include "support/noise.hpp"
#include "support/records.hpp"

namespace assay::report {
namespace {

using metrics::MetricKind;
using test::noisy;
using testing::HasSubstr;
using testing::Not;

const Metric& known(MetricKind metric) { return metrics::metric_info(metric).metric; }

TEST(ChangeWords, FollowTheMetric) {
  EXPECT_EQ(verdict_phrase(known(MetricKind::wall_time), Verdict::better), "faster");
  EXPECT_EQ(verdict_phrase(known(MetricKind::cpu_time), Verdict::worse), "slower");
  EXPECT_EQ(verdict_phrase(known(MetricKind::peak_memory), Verdict::worse), "more memory");
  EXPECT_EQ(verdict_word(known(MetricKind::peak_memory), Verdict::worse), "more");
  EXPECT_EQ(verdict_phrase(known(MetricKind::throughput), Verdict::better), "higher throughput");
  EXPECT_EQ(verdict_phrase(known(MetricKind::program_size), Verdict::worse), "a larger program");
  EXPECT_EQ(verdict_phrase(known(MetricKind::minor_faults), Verdict::better), "fewer minor faults");
  EXPECT_EQ(verdict_phrase({.name = "lag", .unit = "s"}, Verdict::better), "better");
  EXPECT_EQ(verdict_word(known(MetricKind::wall_time), Verdict::same), "same");
}

/// A campaign of two candidates on these metrics, with the candidate's change on each.
Findings of_metrics(const std::vector<std::pair<Metric, double>>& changes) {
  auto record = test::record_of({noisy(1, 20, 1), noisy(1, 20, 2)});
  record.design.metrics = {};
  for (const auto& [metric, change] : changes) {
    auto watched = metric;
    watched.request.watched = true;
    watched.exact = false;
    record.design.metrics.add(watched);
  }
  stats::Random random(4);
  for (auto& trial : record.log.trials) {
    trial.readings.clear();
    for (std::size_t m = 0; m < changes.size(); ++m)
      trial.readings.push_back(
          {MetricId{static_cast<std::int64_t>(m)},
           (trial.cell == CellId{1} ? 1 + changes[m].second : 1) * (1 + 0.002 * random.normal())});
  }
  return judge::judge_record(record);
}

TEST(Sentences, JoinWhatGoesOneWayAndWhatGoesTheOther) {
  const auto all = of_metrics({{known(MetricKind::wall_time), -0.5},
                               {known(MetricKind::peak_memory), -0.1},
                               {known(MetricKind::program_size), 0.25}});
  const auto sentence = sentences(all).at(0);
  EXPECT_THAT(sentence.lines.at(0),
              testing::StartsWith("faster than list (wall time ÷2.0) and less memory (peak "));
  EXPECT_THAT(sentence.lines.at(0), HasSubstr("), but a larger program (program size +25"));
  EXPECT_EQ(sentence.head, "") << "no verdict that all share";
}

TEST(Sentences, CountComparisonsNotMetrics) {
  const auto all = of_metrics({{known(MetricKind::wall_time), -0.2}, {known(MetricKind::peak_memory), 0.1}});
  EXPECT_THAT(sentences(all).at(0).lines.at(0), Not(HasSubstr(" of 2")));
  EXPECT_THAT(sentences(all).at(0).lines.at(0), HasSubstr("), but more memory ("));
}

TEST(Sentences, ShowWhatFewRoundsShowed) {
  auto record = test::record_of({noisy(7, 3, 1), noisy(1, 3, 2)});
  record.design.rules.rounds_min = 7;
  record.design.rules.rounds_max = 60;
  const auto all = judge::judge_record(record);
  const auto text = render::to_text(all);
  EXPECT_THAT(text, HasSubstr("no verdict against list yet: wall time ÷7.0 seen in 3 rounds"));
  EXPECT_THAT(text, HasSubstr("not known yet"));
  EXPECT_THAT(text, HasSubstr("no verdict yet: at least 8 rounds are needed"));
  EXPECT_THAT(text, Not(HasSubstr("not judged")));
}

TEST(Wrapped, KeepsPerCentSignsWithTheirNumbers) {
  for (std::size_t lead = 80; lead < 100; ++lead) {
    const auto text = wrap(std::string(lead, 'x') + " −12 % and −5 % more", 2);
    for (const char* broken : {"12\n", "5\n"}) EXPECT_THAT(text, Not(HasSubstr(broken)));
  }
}

TEST(NoteText, OneLineForEachKind) {
  auto all = of_metrics({{known(MetricKind::wall_time), 0}});
  all.notes.clear();
  for (const auto kind : {NoteKind::outliers, NoteKind::outliers, NoteKind::drift, NoteKind::multimodal,
                          NoteKind::autocorrelation, NoteKind::carry_over, NoteKind::short_trials})
    all.notes.push_back({.kind = kind, .subject = CellId{1}, .metric = MetricId{0}, .value = 0.2});
  all.notes.push_back({.kind = NoteKind::orphan_processes,
                       .subject = CandidateId{1},
                       .level = Note::Level::warning,
                       .value = 3,
                       .count = 2});
  const auto text = render::to_text(all);
  EXPECT_THAT(text, HasSubstr("note, rival1: left processes running"));
  EXPECT_LT(text.find("left processes"), text.find("far out")) << "warnings first";
  EXPECT_THAT(text, HasSubstr("note, rival1 and 1 more: 20 % of its values"));
  EXPECT_THAT(text, HasSubstr("\n3 more notes: assay verdict --notes\n"));
  const auto every = render::to_text(all, {.all_notes = true});
  EXPECT_THAT(every, Not(HasSubstr("more notes")));
  std::size_t notes = 0;
  for (auto at = every.find("note, "); at != std::string::npos; at = every.find("note, ", at + 1)) ++notes;
  EXPECT_EQ(notes, all.notes.size());
}

TEST(Wrap, KeepsACommandInOnePiece) {
  const std::string command =
      "assay duel --rounds 8..240 --names 'a;rm -rf ~,$(b)' ./list net.txt orders.txt vs ./heap net.txt "
      "orders.txt";
  const auto text = wrap("even odds to decide it by 240 rounds (2 min 10 s): " + command, 2);
  EXPECT_EQ(text, "even odds to decide it by 240 rounds (2 min 10 s):\n  " + command);
}

}  // namespace
}  // namespace assay::report
