#include "assay/ledger/ledger.hpp"

#include <soci/soci.h>
#include <unistd.h>

#include <algorithm>
#include <array>
#include <cstring>
#include <exception>
#include <filesystem>
#include <fstream>
#include <sstream>
#include <utility>

#include "assay/ledger/campaign_rows.hpp"
#include "assay/ledger/dialect.hpp"
#include "assay/ledger/rows.hpp"
#include "assay/ledger/schema.hpp"
#include "assay/ledger/trial_rows.hpp"
#include "assay/model/error.hpp"
#include "assay/model/validity.hpp"

namespace assay::ledger {
namespace fs = std::filesystem;
namespace {

using soci::into;
using soci::use;
using Rows = soci::rowset<soci::row>;

void refuse_other_files(const std::string& path) {
  std::ifstream file(path, std::ios::binary);
  std::array<char, 16> head{};
  file.read(head.data(), head.size());
  if (file.gcount() == 0) return;
  if (file.gcount() < 16 || std::memcmp(head.data(), "SQLite format 3", 16) != 0)
    throw Error("this file is not a ledger", path, "name another one, or move it away to start a new one");
}

/// When a process of this boot began, in clock ticks since then; empty when there is no such process. With
/// its number it names a process for good.
std::string birth_of(long pid) {
  std::ifstream file("/proc/" + std::to_string(pid) + "/stat");
  std::string line;
  std::getline(file, line);
  const auto name_end = line.rfind(')');
  if (name_end == std::string::npos) return {};
  std::istringstream fields(line.substr(name_end + 1));
  std::string field;
  constexpr int birth = 20;  // counted from the one after the name
  for (int i = 0; i < birth; ++i) fields >> field;
  return field;
}

/// Names this process: its number, and when it began.
std::string token_of_this_process() { return std::to_string(getpid()) + ":" + birth_of(getpid()); }

std::string boot_now() {
  std::ifstream file("/proc/sys/kernel/random/boot_id");
  std::string boot;
  std::getline(file, boot);
  return boot;
}

}  // namespace

/// The connection behind a Ledger.
struct Ledger::State {
  std::string path;
  std::unique_ptr<Dialect> dialect = sqlite_dialect();
  soci::session sql;
  std::unique_ptr<TrialRows> trials;  ///< made with the first trial

  [[noreturn]] void fail(const std::exception& error) {
    const auto code = dialect->code_of(sql, error);
    switch (code) {
      case Error::Code::ledger_full:
        throw Error("the disk is full: nothing more could be stored", path,
                    "make room and measure again; what was stored before is safe", code);
      case Error::Code::ledger_busy:
        throw Error("another process keeps the ledger locked", path, "wait for it, or name another ledger",
                    code);
      case Error::Code::ledger_read_only:
        throw Error("the ledger can't be written here", path,
                    "look at the permissions of the file and its folder", code);
      case Error::Code::ledger_damaged:
        throw Error("the ledger is damaged", path,
                    "restore it from a copy, or move it away to start a new one", code);
      case Error::Code::ledger_gone:
        fail_gone();
      default:
        throw Error("the ledger could not be used: " + std::string(error.what()), path, {}, code);
    }
  }

  [[noreturn]] void fail_gone() const {
    throw Error("the ledger was moved or deleted while it was in use: what is measured is kept nowhere", path,
                "does a workload clean its folder? name a ledger elsewhere with --ledger",
                Error::Code::ledger_gone);
  }

  [[noreturn]] void fail_damaged(const std::string& what) const {
    throw Error("the ledger is damaged: " + what, path,
                "restore it from a copy, or move it away to start a new one", Error::Code::ledger_damaged);
  }

  /// Runs `work` in one transaction that writes: all of it is stored, or nothing.
  template <class Work>
  auto write(Work&& work) {
    if (dialect->reads_only())
      throw Error("the ledger can't be written here", path,
                  "look at the permissions of the file and its folder", Error::Code::ledger_read_only);
    if (!dialect->is_there()) fail_gone();
    return transact([&] { dialect->begin_writing(sql); }, work);
  }

  /// Runs `work` in one transaction that only reads: it sees one state of the ledger.
  template <class Work>
  auto read(Work&& work) {
    return transact([&] { sql << "BEGIN"; }, work);
  }

 private:
  template <class Begin, class Work>
  auto transact(Begin&& begin, Work&& work) {
    bool begun = false;
    try {
      begin();
      begun = true;
      if constexpr (std::is_void_v<decltype(work())>) {
        work();
        sql << "COMMIT";
      } else {
        auto result = work();
        sql << "COMMIT";
        return result;
      }
    } catch (const soci::soci_error& error) {
      // Told before the rollback, which has a code of its own.
      const auto told = [&]() -> std::exception_ptr {
        try {
          fail(error);
        } catch (...) {
          return std::current_exception();
        }
      }();
      if (begun) roll_back();
      std::rethrow_exception(told);
    } catch (const Damaged& error) {
      if (begun) roll_back();
      fail_damaged(error.problem());
    } catch (...) {
      if (begun) roll_back();
      throw;
    }
  }

  void roll_back() {
    try {
      sql << "ROLLBACK";
    } catch (const soci::soci_error&) {  // it has ended by itself
    }
  }

 public:
  using Damaged = codec::Damaged;

  int stored_version() {
    if (!dialect->has_ledger(sql)) {
      if (dialect->has_tables(sql))
        throw Error("this is a database of something else, not a ledger", path, "name another file");
      return 0;
    }
    int found = 0;
    sql << "SELECT max(version) FROM ledger_info", into(found);
    if (found > version)
      throw Error("this ledger was written by a newer Assay (its version is " + std::to_string(found) +
                      ", this program knows " + std::to_string(version) + ")",
                  path, "use the newer program, or another ledger", Error::Code::ledger_newer);
    return found;
  }

  /// Makes the tables, or brings them up to this version: inside one transaction, in which the version is
  /// looked at again, so that of several processes one does it and the others find it done.
  void bring_up_to_date() {
    if (read([&] { return stored_version(); }) == version) return;
    if (dialect->reads_only())
      throw Error("this ledger was written by an older Assay, and can't be brought up to date where it is",
                  path, "copy it to where it can be written", Error::Code::ledger_read_only);
    dialect->check_references(sql, false);
    write([&] {
      const int found = stored_version();
      if (found == 0)
        for (const auto statement : schema()) sql << dialect->in_words(statement);
      for (int from = found; from > 0 && from < version; ++from)
        for (const auto statement : migration(from)) sql << std::string(statement);
    });
    dialect->check_references(sql, true);
  }
};

Ledger::Ledger(const std::string& path, Opening opening) : state_(std::make_unique<State>()) {
  state_->path = path;
  std::error_code failed;
  if (opening == Opening::existing && !fs::exists(path, failed))
    throw Error("there is no ledger", path, "measure something first: assay duel, or assay run",
                Error::Code::ledger_missing);
  if (opening == Opening::create)
    if (const auto folder = fs::path(path).parent_path(); !folder.empty()) {
      fs::create_directories(folder, failed);
      if (failed)
        throw Error("the ledger's folder can't be made: " + failed.message(), folder.string(), {},
                    Error::Code::ledger_read_only);
    }
  refuse_other_files(path);
  try {
    state_->dialect->connect(state_->sql, path, opening == Opening::create);
    state_->bring_up_to_date();
  } catch (const soci::soci_error& error) {
    state_->fail(error);
  }
}

Ledger::~Ledger() = default;
Ledger::Ledger(Ledger&&) noexcept = default;
Ledger& Ledger::operator=(Ledger&&) noexcept = default;

const std::string& Ledger::path() const { return state_->path; }

CampaignId Ledger::begin(const Record& record) {
  return state_->write([&] { return put_campaign(state_->sql, record, token_of_this_process()); });
}

CampaignId Ledger::add_whole(const Record& record) {
  auto& sql = state_->sql;
  return state_->write([&] {
    const auto campaign = put_campaign(sql, record, {});
    RoundRows rounds(sql);
    for (const auto& round : record.log.rounds) rounds.put(campaign, round);
    TrialRows trials(sql);
    for (const auto& trial : record.log.trials) trials.put(campaign, trial);
    for (const auto& look : record.log.looks) put_look(sql, campaign, look);
    return campaign;
  });
}

void Ledger::add_sitting(CampaignId campaign, const Sitting& sitting) {
  auto& sql = state_->sql;
  state_->write([&] {
    SittingId id;
    sql << "SELECT count(*) FROM sitting WHERE campaign = :c", use(campaign.value), into(id.value);
    const auto now = milliseconds_now();
    sql << "UPDATE sitting SET token = NULL, ended = coalesce(ended, :n) WHERE campaign = :c", use(now),
        use(campaign.value);
    put_sitting(sql, campaign, id, sitting, token_of_this_process());
    sql << "UPDATE campaign SET state = 'open' WHERE id = :c", use(campaign.value);
  });
}

Round Ledger::claim_round(CampaignId campaign, SittingId sitting,
                          const std::function<RoundPlan(int number)>& plan_of) {
  auto& sql = state_->sql;
  return state_->write([&] {
    Round round{.sitting = sitting};
    sql << "SELECT next_round FROM campaign WHERE id = :c", use(campaign.value), into(round.number);
    static_cast<RoundPlan&>(round) = plan_of(round.number);
    RoundRows(sql).put(campaign, round);
    sql << "UPDATE campaign SET next_round = next_round + 1 WHERE id = :c", use(campaign.value);
    const auto now = milliseconds_now();
    sql << "UPDATE sitting SET seen = :n WHERE campaign = :c AND id = :s", use(now), use(campaign.value),
        use(sitting.value);
    return round;
  });
}

void Ledger::set_round_state(CampaignId campaign, int number, RoundState state) {
  auto& sql = state_->sql;
  const auto word = to_string(state);
  const auto now = milliseconds_now();
  state_->write([&] {
    sql << "UPDATE round SET state = :s, closed = :n WHERE campaign = :c AND number = :k", use(word),
        use(now), use(campaign.value), use(number);
  });
}

void Ledger::add_trial(CampaignId campaign, const Trial& trial) {
  state_->write([&] {
    if (!state_->trials) state_->trials = std::make_unique<TrialRows>(state_->sql);
    state_->trials->put(campaign, trial);
  });
}

void Ledger::set_standing(CampaignId campaign, CellId cell, const CellState& state) {
  auto& sql = state_->sql;
  const auto word = to_string(state.standing), why = codec::storable(state.detail);
  state_->write([&] {
    sql << "UPDATE cell SET standing = :s, detail = :d WHERE campaign = :c AND id = :i", use(word), use(why),
        use(campaign.value), use(cell.value);
  });
}

void Ledger::set_doubt(CampaignId campaign, const Doubt& doubt) {
  auto& sql = state_->sql;
  const auto text = codec::storable(doubt.text);
  state_->write([&] {
    sql << "UPDATE workload SET doubt = :d WHERE campaign = :c AND id = :i", use(text), use(campaign.value),
        use(doubt.workload.value);
  });
}

void Ledger::set_state(CampaignId campaign, CampaignState state) {
  auto& sql = state_->sql;
  const auto word = to_string(state);
  const auto now = milliseconds_now();
  state_->write([&] {
    sql << "UPDATE campaign SET state = :s WHERE id = :c", use(word), use(campaign.value);
    sql << "UPDATE sitting SET token = NULL, seen = :n, ended = :e WHERE campaign = :c AND ended IS NULL",
        use(now), use(now), use(campaign.value);
  });
}

void Ledger::set_label(CampaignId campaign, const std::string& label) {
  auto& sql = state_->sql;
  const auto text = codec::storable(label);
  state_->write(
      [&] { sql << "UPDATE campaign SET label = :l WHERE id = :c", use(text), use(campaign.value); });
}

void Ledger::add_look(CampaignId campaign, const Look& look) {
  state_->write([&] { put_look(state_->sql, campaign, look); });
}

std::vector<Summary> Ledger::list() {
  auto& sql = state_->sql;
  return state_->read([&] {
    std::vector<Summary> all;
    const Rows rows =
        (sql.prepare
         << "SELECT c.id, c.uid, c.title, c.kind, c.label, c.plan_digest, c.repeat, c.state, c.started,"
            " (SELECT count(*) FROM round r WHERE r.campaign = c.id AND r.state = 'whole'"
            "  AND r.role = 'counted') FROM campaign c ORDER BY c.id DESC");
    for (const auto& row : rows) {
      Summary summary;
      codec::from_value(value_of(row, 0), summary.id);
      std::size_t column = 1;
      for (auto* text : {&summary.uid, &summary.title, &summary.kind, &summary.label, &summary.plan_digest,
                         &summary.repeat})
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
      const Rows names = (sql.prepare << "SELECT name FROM candidate WHERE campaign = :c ORDER BY id",
                          use(summary.id.value));
      for (const auto& row : names)
        summary.candidates += (summary.candidates.empty() ? "" : " vs ") + codec::read_text(value_of(row, 0));
    }
    return all;
  });
}

std::string Ledger::plan_of(CampaignId campaign) {
  auto& sql = state_->sql;
  return state_->read([&] {
    std::string plan;
    sql << "SELECT plan FROM campaign WHERE id = :c", use(campaign.value), into(plan);
    return plan;
  });
}

std::optional<std::string> Ledger::measured_by(CampaignId campaign) {
  auto& sql = state_->sql;
  std::string token, boot;
  std::int64_t seen = 0;
  soci::indicator has_token = soci::i_null, found = soci::i_null;
  state_->read([&] {
    sql << "SELECT token, boot, seen FROM sitting WHERE campaign = :c AND ended IS NULL ORDER BY id DESC "
           "LIMIT 1",
        use(campaign.value), into(token, has_token), into(boot, found), into(seen);
    if (!sql.got_data()) found = soci::i_null;
  });
  if (found == soci::i_null || has_token == soci::i_null) return {};
  if (boot != boot_now()) {
    constexpr std::int64_t a_minute = 60'000;
    if (milliseconds_now() - seen < a_minute) return "another machine";
    return {};
  }
  const auto colon = token.find(':');
  const auto pid = token.substr(0, colon);
  const auto birth = birth_of(std::strtol(pid.c_str(), nullptr, 10));
  if (birth.empty() || colon == std::string::npos || birth != token.substr(colon + 1)) return {};
  return "process " + pid;
}

Record Ledger::read(CampaignId campaign) {
  return state_->read([&] {
    auto record = read_campaign(state_->sql, campaign);
    read_rounds_and_trials(state_->sql, campaign, record.log);
    if (const auto wrong = what_is_invalid(record); !wrong.empty()) throw State::Damaged(wrong);
    return record;
  });
}

void Ledger::remove(std::span<const CampaignId> campaigns) {
  try {
    take_out(campaigns);
  } catch (const Error& error) {
    if (error.code() != Error::Code::ledger_full) throw;
    state_->dialect->spare_disk(state_->sql, true);
    take_out(campaigns);
    state_->dialect->spare_disk(state_->sql, false);
  }
}

void Ledger::take_out(std::span<const CampaignId> campaigns) {
  auto& sql = state_->sql;
  state_->write([&] {
    for (const auto campaign : campaigns) {
      sql << "UPDATE campaign SET again_of = NULL WHERE again_of = :c", use(campaign.value);
      for (const auto* part : {"reading", "series"})
        sql << std::string("DELETE FROM ") + part +
                   " WHERE trial IN (SELECT id FROM trial WHERE campaign = :c)",
            use(campaign.value);
      for (const auto table : tables_of_a_campaign())
        sql << "DELETE FROM " + std::string(table) + " WHERE campaign = :c", use(campaign.value);
      sql << "DELETE FROM campaign WHERE id = :c", use(campaign.value);
    }
  });
  try {
    state_->dialect->compact(sql);
  } catch (const soci::soci_error& error) {
    state_->fail(error);
  }
}

const Summary& choose(const std::vector<Summary>& campaigns, const std::string& text) {
  if (campaigns.empty())
    throw Error("there is no campaign yet", "ledger", "measure something first: assay duel, or assay run",
                Error::Code::ledger_missing);
  if (text == "last") return campaigns.front();
  std::vector<const Summary*> found;
  for (const auto& campaign : campaigns) {
    if (!campaign.label.empty() && campaign.label == text) return campaign;
    if (campaign.uid.starts_with(text)) found.push_back(&campaign);
  }
  if (found.size() == 1) return *found.front();
  throw Error(found.empty() ? "there is no campaign \"" + text + "\""
                            : "\"" + text + "\" is the beginning of " + std::to_string(found.size()) +
                                  " campaigns' ids",
              "ledger", "assay ledger lists them all; a name, or a beginning that only one has, will do",
              Error::Code::ledger_missing);
}

}  // namespace assay::ledger
