#include "assay/ledger/summary_rows.hpp"

#include <utility>

#include "assay/ledger/rows.hpp"

namespace assay::ledger {
namespace {

using Rows = soci::rowset<soci::row>;

}  // namespace

std::vector<CampaignSummary> read_summaries(soci::session& sql) {
  using soci::use;
  std::vector<CampaignSummary> all;
  const Rows rows =
      (sql.prepare
       << "SELECT c.id, c.uid, c.title, c.kind, c.label, c.plan_digest, c.repeat, c.state, c.started,"
          " (SELECT count(*) FROM round r WHERE r.campaign = c.id AND r.state = 'whole'"
          "  AND r.role = 'counted') FROM campaign c ORDER BY c.id DESC");
  for (const auto& row : rows) {
    CampaignSummary summary;
    codec::from_value(value_of(row, 0), summary.id);
    std::size_t column = 1;
    for (auto* text :
         {&summary.uid, &summary.title, &summary.kind, &summary.label, &summary.plan_digest, &summary.repeat})
      codec::from_value(value_of(row, column++), *text);
    codec::from_value(value_of(row, column++), summary.state);
    codec::from_value(value_of(row, column++), summary.started);
    const auto rounds = value_of(row, column);  // a computed column has no declared type
    summary.rounds = std::holds_alternative<std::string>(rounds)
                         ? static_cast<int>(codec::read_unsigned(std::get<std::string>(rounds)))
                         : static_cast<int>(codec::read_whole(rounds));
    all.push_back(std::move(summary));
  }
  for (auto& summary : all) {
    const Rows names =
        (sql.prepare << "SELECT name FROM candidate WHERE campaign = :c ORDER BY id", use(summary.id.value));
    for (const auto& row : names)
      summary.candidates += (summary.candidates.empty() ? "" : " vs ") + codec::read_text(value_of(row, 0));
  }
  return all;
}

}  // namespace assay::ledger
