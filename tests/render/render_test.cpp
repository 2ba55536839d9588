#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <cmath>
#include <sstream>

#include "assay/judge/judge.hpp"
#include "assay/render/documents.hpp"
#include "assay/render/text_tables.hpp"
#include "assay/report/format.hpp"
#include "support/records.hpp"

namespace assay::render {
namespace {

using namespace report;

using testing::HasSubstr;
using testing::Not;

TEST(Units, ValuesAreInUnitsAPersonReads) {
  EXPECT_EQ(cell_value_text(2202129, "calls/s"), "2.2 M");
  EXPECT_EQ(cell_value_text(9999, "calls/s"), "9999");
  EXPECT_EQ(cell_value_text(0.4123, "s"), "412 ms");
  EXPECT_EQ(value_text(0.4123, "s"), "412 ms");
  EXPECT_EQ(value_text(2.5e-6, "s"), "2.5 µs");
  EXPECT_EQ(value_text(75, "s"), "75 s");
  EXPECT_EQ(value_text(7300, "s"), "2 h 01 min");
  EXPECT_EQ(value_text(1.4e9, "B"), "1.3 GiB");
  EXPECT_EQ(value_text(512, "B"), "512 B");
  EXPECT_EQ(value_text(1234567, ""), "1 234 567");
}

TEST(Units, ChangesArePercentUpToTwofoldAndFactorsBeyond) {
  EXPECT_EQ(change_text(0.925), "−7.5 %");
  EXPECT_EQ(change_text(1.0012), "+0.12 %");
  EXPECT_EQ(change_text(1.5), "+50 %");
  EXPECT_EQ(change_text(3.44), "×3.4");
  EXPECT_EQ(change_text(0.0005), "÷2 000");
  EXPECT_EQ(change_text(1), "0 %");
  EXPECT_EQ(change_text(0), "any");
  EXPECT_EQ(range_text({0.9, 0.95, 0.95}, Scale::ratio, ""), "−10 … −5.0 %");
  EXPECT_EQ(effect_text({Scale::difference, -3}, "m"), "−3 m");
}

TEST(Axis, DrawsIntervalsOnOneScale) {
  Finding wide{.effect = {Scale::ratio, 1.05}, .interval = {0.9, 1.2, 0.95}, .margin = 0.01}, open = wide;
  open.interval = {0, INFINITY, 0.95};
  const Axis axis({&wide, &open}, Scale::ratio, 30);
  EXPECT_EQ(display_width(axis.draw(wide)), 30U);
  EXPECT_EQ(axis.draw(wide).find("├"), 0U);
  EXPECT_THAT(axis.draw(wide), HasSubstr("●"));
  EXPECT_EQ(axis.draw(open).find("←"), 0U) << "an end out of sight is an arrow";
  EXPECT_EQ(display_width(axis.legend("s")), 30U);
}

Findings example() {
  const std::vector<double> ten = {1.00, 1.10, 1.05, 0.98, 1.20, 1.01, 1.15, 1.07, 1.03, 1.12};
  std::vector<double> better = ten, noisy = ten;
  for (std::size_t i = 0; i < ten.size(); ++i) {
    better[i] *= 0.7 + 0.001 * static_cast<double>(i);
    noisy[i] *= i % 2 == 0 ? 1.2 : 0.8;
  }
  auto record = test::record_of({ten, better, noisy, ten});
  record.log.status_changes.push_back(
      {CellId{3}, {StatusCode::wrong, "line 1: \"total 18\", expected \"total 17\"\nlast words"}});
  return judge::judge_record(record);
}

TEST(Text, GivesASentencePerCandidateAndABlock) {
  const auto text = to_text(example());
  EXPECT_THAT(text, HasSubstr("rival1  faster than list: wall time −30 %"));
  EXPECT_THAT(text, HasSubstr("rival3  left out, its answer is wrong: line 1"));
  EXPECT_THAT(text, HasSubstr("last words"));
  EXPECT_THAT(text, HasSubstr("+ faster"));
  EXPECT_THAT(text, HasSubstr("? unclear"));
  EXPECT_THAT(text, HasSubstr("assay run --rounds 8..")) << "under every unclear stands what would settle it";
  EXPECT_THAT(text, Not(HasSubstr("\x1b")));
}

TEST(Text, FitsAHundredColumns) {
  std::istringstream lines(to_text(example()));
  for (std::string line; std::getline(lines, line);)
    if (line.find("to settle it by") == std::string::npos) {
      EXPECT_LE(display_width(line), 100U) << line;
    }
}

TEST(Text, ColoursBetterBlueWhenAskedTo) {
  EXPECT_THAT(to_text(example(), {.colour = true}), HasSubstr("\x1b[34m+ faster"));
}

TEST(Text, ReportsThatAnInterruptedCampaignIsProvisional) {
  auto findings = example();
  findings.provisional = true;
  findings.state = CampaignState::interrupted;
  EXPECT_THAT(to_text(findings),
              HasSubstr("provisional, the campaign was interrupted after 10 whole rounds"));
}

TEST(Json, HoldsFindingsStatusesAndTrust) {
  const auto text = to_json(example());
  for (const auto* part :
       {"\"format\": 3", "\"id\": \"0123456789abcdef\"", "\"verdict\": \"better\"", "\"status\": \"wrong\"",
        "\"seed\": \"7\"", "\"interval\"", "\"requirements\": []"})
    EXPECT_THAT(text, HasSubstr(part));
}

}  // namespace
}  // namespace assay::render
