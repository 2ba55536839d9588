// Ledgers that others use too: at the same time, or on a disk that is in the way.

#include <gmock/gmock.h>
#include <gtest/gtest.h>
#include <soci/soci.h>
#include <soci/sqlite3/soci-sqlite3.h>
#include <sys/wait.h>
#include <unistd.h>

#include <filesystem>
#include <fstream>
#include <thread>

#include "assay/ledger/ledger.hpp"
#include "assay/model/error.hpp"
#include "support/records.hpp"
#include "support/tool.hpp"

namespace assay::ledger {
namespace {

namespace fs = std::filesystem;
using test::record_of;
using test::Scratch;
using testing::HasSubstr;

/// Runs `act` in `count` processes at the same time; how many of them threw or crashed.
int failures_of(int count, const std::function<void(int)>& act) {
  std::vector<pid_t> children;
  for (int i = 0; i < count; ++i) {
    const pid_t child = fork();
    if (child == 0) {
      try {
        act(i);
      } catch (const std::exception& error) {
        fprintf(stderr, "%s\n", error.what());
        _exit(1);
      }
      _exit(0);
    }
    children.push_back(child);
  }
  int failures = 0;
  for (const auto child : children) {
    int status = 0;
    waitpid(child, &status, 0);
    failures += status == 0 ? 0 : 1;
  }
  return failures;
}

TEST(SharedLedger, OneOfSeveralResumesACampaign) {
  const Scratch scratch;
  const auto path = scratch.path("ledger.db"), tried = scratch.path("tried");
  auto record = test::record_of({{1, 2}, {1, 2}});
  record.log.sessions[SessionId{0}].boot = "this boot";
  CampaignId id;
  {
    Ledger ledger(path);
    id = ledger.begin(record);
    ledger.end_session(id, SessionId{0}, CampaignState::interrupted);
  }
  constexpr int count = 6;
  const int refused = failures_of(count, [&](int) {
    std::string said;
    try {
      Ledger(path).add_session(id, record.log.sessions[SessionId{0}]);
    } catch (const Error& error) {
      said = error.code() == Error::Code::in_use ? "in use" : error.what();
    }
    std::ofstream(tried, std::ios::app) << "x" << std::flush;
    // Whoever measures must be alive while the others look.
    for (int i = 0; i < 6000 && test::read_file(tried).size() < count; ++i) usleep(10'000);
    if (said == "in use") _exit(1);
    if (!said.empty()) _exit(2);
  });
  EXPECT_EQ(refused, count - 1);
}

TEST(SharedLedger, CreatedByOneOfManyKeepsWhatAllAdd) {
  const Scratch scratch;
  const auto path = scratch.path("new/ledger.db");
  EXPECT_EQ(failures_of(8,
                        [&](int i) {
                          auto record = record_of({{1, 2}, {1, 2}});
                          record.design.uid = "000000000000000" + std::to_string(i);
                          Ledger(path).add_whole(record);
                        }),
            0);
  EXPECT_EQ(Ledger(path).list().size(), 8U);
}

TEST(SharedLedger, WaitsForALock) {
  const Scratch scratch;
  const auto path = scratch.path("ledger.db");
  { Ledger ledger(path); }
  soci::session other(*soci::factory_sqlite3(), "dbname=" + path);
  other << "BEGIN EXCLUSIVE";
  std::thread later([&] {
    std::this_thread::sleep_for(std::chrono::milliseconds(300));
    other << "COMMIT";
  });
  EXPECT_NO_THROW(Ledger(path).add_whole(record_of({{1, 2}, {1, 2}})));
  later.join();
}

TEST(SharedLedger, ListsCampaignsWithoutLookingAtTrials) {
  const Scratch scratch;
  Ledger ledger(scratch.path("ledger.db"));
  ledger.add_whole(record_of({{1, 2}, {1, 2}}));
  soci::session other(*soci::factory_sqlite3(), "dbname=" + ledger.place().text());
  other << "PRAGMA foreign_keys = OFF";
  for (const auto* table : {"reading", "series", "trial"}) other << std::string("DROP TABLE ") + table;
  ASSERT_EQ(ledger.list().size(), 1U);
  EXPECT_EQ(ledger.list()[0].rounds, 2);
}

TEST(SharedLedger, GoesByTheOrderInWhichCampaignsWereLaidDown) {
  const Scratch scratch;
  Ledger ledger(scratch.path("ledger.db"));
  auto first = record_of({{1, 2}, {1, 2}}), second = first;
  second.design.uid = "fedcba9876543210";
  second.design.started = first.design.started - 86'400'000;  // the clock was set back
  ledger.add_whole(first);
  ledger.add_whole(second);
  EXPECT_EQ(find_campaign(ledger.list(), "last").uid, second.design.uid);
}

TEST(SharedLedger, ReadableInAReadOnlyFolder) {
  const Scratch scratch;
  const auto folder = scratch.path("archive");
  { Ledger(folder + "/ledger.db").add_whole(record_of({{1, 2}, {1, 2}})); }
  fs::permissions(folder + "/ledger.db", fs::perms(0444));
  fs::permissions(folder, fs::perms(0555));
  fs::permissions(scratch.path(), fs::perms::all);
  const auto as_ordinary_user = [&](const std::function<void()>& act) {
    return failures_of(1, [&](int) {
      if (getuid() == 0 && setuid(65534) != 0) throw Error("no such user");
      act();
    });
  };
  EXPECT_EQ(as_ordinary_user([&] {
              if (Ledger(folder + "/ledger.db", Ledger::OpenMode::existing).list().size() != 1)
                throw Error("nothing is listed");
            }),
            0);
  EXPECT_EQ(as_ordinary_user([&] {
              try {
                Ledger(folder + "/ledger.db").add_whole(record_of({{1, 2}, {1, 2}}));
              } catch (const Error& error) {
                if (error.code() == Error::Code::ledger_read_only) return;
                throw;
              }
              throw Error("it was written");
            }),
            0);
  fs::permissions(folder, fs::perms::owner_all);
}

TEST(SharedLedger, ReportsDanglingIdsAsDamage) {
  for (const auto* damage : {"UPDATE trial SET cell = 999 WHERE id = 1",
                             "UPDATE comparison SET candidate = -4", "UPDATE cell SET candidate = 55",
                             "UPDATE reading SET metric = 77", "UPDATE campaign SET seed = 'seven'",
                             "UPDATE trial SET outcome = 'splendid'", "UPDATE candidate SET twin_of = 12"}) {
    const Scratch scratch;
    Ledger ledger(scratch.path("ledger.db"));
    const auto id = ledger.add_whole(record_of({{1, 2}, {1, 2}}));
    soci::session other(*soci::factory_sqlite3(), "dbname=" + ledger.place().text());
    other << "PRAGMA foreign_keys = OFF";
    other << "PRAGMA ignore_check_constraints = ON";
    other << std::string(damage);
    try {
      ledger.read(id);
      ADD_FAILURE() << damage << " went unnoticed";
    } catch (const Error& error) {
      EXPECT_EQ(error.code(), Error::Code::ledger_damaged) << damage << ": " << error.what();
    }
  }
}

TEST(SharedLedger, NoticesThatItsFileIsGone) {
  const Scratch scratch;
  Ledger ledger(scratch.path("ledger.db"));
  const auto id = ledger.add_whole(record_of({{1, 2}, {1, 2}}));
  for (const auto& entry : fs::directory_iterator(scratch.path())) fs::remove(entry.path());
  try {
    ledger.add_trial(id, {.cell = {0}, .role = Role::check});
    ADD_FAILURE() << "it was not noticed";
  } catch (const Error& error) {
    EXPECT_EQ(error.code(), Error::Code::ledger_gone) << error.what();
  }
}

TEST(Prune, TakesOutACampaignThatWasMeasuredAgain) {
  const Scratch scratch;
  Ledger ledger(scratch.path("ledger.db"));
  auto first = record_of({{1, 2}, {1, 2}}), second = first;
  second.design.uid = "fedcba9876543210";
  second.design.confirms_uid = first.design.uid;
  const auto a = ledger.add_whole(first), b = ledger.add_whole(second);
  EXPECT_EQ(ledger.read(b).design.confirms_uid, first.design.uid);
  ledger.remove({{a}});
  EXPECT_EQ(ledger.read(b).design.confirms_uid, "");
}

TEST(LedgerErrors, CarryACode) {
  const Scratch scratch;
  const auto text =
      scratch.file("full of notes.db", "the disk is full of notes, and this is no database at all");
  try {
    Ledger ledger(text);
    ADD_FAILURE() << "it was opened";
  } catch (const Error& error) {
    EXPECT_NE(error.code(), Error::Code::ledger_full) << error.what();
    EXPECT_THAT(error.what(), testing::Not(HasSubstr("disk is full;")));
  }
}

}  // namespace
}  // namespace assay::ledger
