// What a ledger has of a history: read, and kept for those who read it next.

#include <algorithm>
#include <iterator>
#include <vector>

#include "assay/history/measured_values.hpp"
#include "assay/history/trend.hpp"
#include "assay/judge/judge.hpp"
#include "assay/ledger/ledger.hpp"
#include "assay/model/error.hpp"

namespace assay::history {

namespace {

/// Adds what a campaign tells, and returns it as serialize() writes it.
std::string add_as_text(MeasuredValues& archive, const Record& record, const std::string& reference) {
  MeasuredValues own;
  add_record(own, record, reference);
  auto text = serialize(own, reference);
  deserialize(archive, text, reference);
  return text;
}

/// Keeps what was judged, so that the next reader need not: a database's reader without that right, and a disk that is full,
/// go without.
void keep(ledger::Ledger& ledger, const std::vector<ledger::Ledger::HistoryValues>& judged,
          const std::string& reference) try {
  if (!judged.empty()) ledger.keep_history_values(judged, reference, judge::version);
} catch (const Error& error) {
  const auto is = [&](Error::Code code) { return error.code() == code; };
  if (!is(Error::Code::ledger_read_only) && !is(Error::Code::ledger_full) && !is(Error::Code::ledger_busy))
    throw;
}

}  // namespace

void add_and_keep(MeasuredValues& archive, const Record& record, const std::string& reference,
                  const std::string& path) {
  const auto text = add_as_text(archive, record, reference);
  if (path.empty() || record.log.state != CampaignState::ended) return;
  ledger::Ledger ledger(path, ledger::Ledger::OpenMode::existing);
  for (const auto& summary : ledger.list({.uid = record.design.uid}))
    keep(ledger, {{summary.id, text}}, record.design.kind == CampaignKind::step ? "" : reference);
}

MeasuredValues read_measured_values(const std::string& path, const std::string& reference) {
  MeasuredValues archive;
  if (path.empty() || !ledger::Place::of(path).is_there()) return archive;
  ledger::Ledger ledger(path, ledger::Ledger::OpenMode::existing);
  const auto kept = ledger.history_values(reference, judge::version);
  std::vector<ledger::Ledger::HistoryValues> of_commits, of_steps;
  auto all = ledger.list({.commit = reference});
  std::erase_if(all, [](const auto& summary) { return summary.kind == CampaignKind::step; });
  std::ranges::move(ledger.list({.kinds = {CampaignKind::step}}), std::back_inserter(all));
  // What was measured later counts where there can be but one.
  std::ranges::sort(all, {}, &ledger::CampaignSummary::id);
  for (const auto& summary : all) {
    const bool has_pairs = summary.rounds > 0 && summary.kind != CampaignKind::search &&
                           summary.kind != CampaignKind::pairs && summary.kind != CampaignKind::contest;
    const bool silent = summary.kind == CampaignKind::history;
    const bool is_step = summary.kind == CampaignKind::step;
    if (!has_pairs && !silent) continue;
    if (const auto text = kept.find(summary.id); text != kept.end()) {
      deserialize(archive, text->second, reference);
      continue;
    }
    const auto judged = add_as_text(archive, ledger.read(summary.id), reference);
    if (summary.state == CampaignState::ended)
      (is_step ? of_steps : of_commits).push_back({summary.id, judged});
  }
  keep(ledger, of_commits, reference);
  keep(ledger, of_steps, "");
  return archive;
}

std::size_t reduce_history(const std::string& path, std::size_t keep) {
  ledger::Ledger ledger(path, ledger::Ledger::OpenMode::existing);
  std::size_t seen = 0, reduced = 0;
  for (const auto& summary : ledger.list({.kinds = {CampaignKind::history, CampaignKind::step}})) {
    if (summary.state != CampaignState::ended || ++seen <= keep || !summary.label.empty() ||
        !ledger.compacted_values(summary.id).empty())
      continue;
    const auto record = ledger.read(summary.id);
    if (record.design.candidates.empty()) continue;
    const auto reference = record.design.candidates.front().from.commit;
    MeasuredValues archive;
    add_record(archive, record, reference);
    ledger.compact(summary.id, serialize(archive, reference));
    ++reduced;
  }
  return reduced;
}

}  // namespace assay::history
