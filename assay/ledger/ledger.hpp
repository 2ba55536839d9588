#pragma once

#include <algorithm>
#include <cstdint>
#include <functional>
#include <map>
#include <memory>
#include <optional>
#include <set>
#include <span>
#include <stop_token>
#include <string>
#include <vector>

#include "assay/ledger/place.hpp"
#include "assay/model/log.hpp"

namespace assay::ledger {

/// A campaign in a list.
struct CampaignSummary {
  CampaignId id;
  CampaignKind kind = CampaignKind::plan;
  std::string uid, title, label, plan_digest, repeat;
  std::string candidates;  ///< their names, with "vs" between
  CampaignState state = CampaignState::open;
  std::int64_t started = 0;  ///< milliseconds since 1970
  int rounds = 0;            ///< whole judged ones
};

/// Which campaigns a list has; what is left empty does not matter.
struct CampaignFilter {
  std::vector<CampaignKind> kinds;  ///< one of these
  std::string uid, label, plan_digest;
  std::optional<std::string> title;
  std::string commit;      ///< full id: a candidate is built from it
  std::size_t newest = 0;  ///< as many as these at most; 0: all
};

/// What a process knows of a campaign that others may measure too.
struct KnownCampaign {
  CampaignId campaign;
  SessionId session;         ///< its own
  int from_round = 1;        ///< the lowest round that it does not know to be closed
  std::size_t sessions = 1;  ///< how many it knows
};

/// What else there is of that campaign.
struct CampaignChanges {
  CampaignState state = CampaignState::open;
  bool is_closing = false;  ///< no more rounds are to be begun
  double seconds = 0;       ///< of measuring, since the first round was claimed, by the ledger's clock
  IdTable<SessionId, Session> sessions;  ///< all; empty: none is new
  std::size_t others_at_work = 0;        ///< other sessions in which somebody is at work
  std::vector<CellStatus> statuses;      ///< of all cells
  std::vector<WayChoice> ways;
  std::vector<Comparison> decided;  ///< comparisons that need no more rounds
  std::vector<Round> rounds;        ///< from KnownCampaign::from_round on
  std::vector<Trial> trials;        ///< of those of these rounds that other sessions have closed
};

/// How a campaign stands, and who measures it.
struct CampaignActivity {
  CampaignState state = CampaignState::open;
  bool is_closing = false;
  std::vector<Round> rounds;
  IdTable<SessionId, Session> sessions;
  /// Of each session: whether somebody is at work in it now, and how many seconds ago it was last heard of.
  struct Seen {
    bool at_work = false;
    double seconds_ago = 0;
  };
  IdTable<SessionId, Seen> seen;
  std::size_t comparisons = 0, decided = 0;  ///< twins aside
  int rounds_max = 0;

  bool is_measured() const {
    return std::ranges::any_of(seen, [](const Seen& session) { return session.at_work; });
  }
};

/// Which of `campaigns` (newest first) a text means: "last" is the newest that does not look into another
/// (CampaignKind::where); else the label, or a prefix of the uid that only one has. Throws Error that lists what there is.
const CampaignSummary& find_campaign(const std::vector<CampaignSummary>& campaigns, const std::string& text);

/// Throws Error: none has this name or beginning, or several.
[[noreturn]] void refuse_campaign(const std::string& text, std::size_t found);

/// The store that keeps every trial: one SQLite file in WAL mode with synchronous FULL, so that what a call
/// has stored is still there after a kill or a power cut; or a database on a PostgreSQL server (13 or later), which a team
/// shares. Several processes may have it open. One that can't
/// be written, in a folder or on a mount for reading only, can be read.
///
/// Every call is one transaction. Where a server's connection is lost the call is made again, for ten minutes, and stores
/// nothing twice. Every call throws Error, distinguished by its code: ledger_full,
/// ledger_read_only, ledger_busy (another process keeps it locked for more than ten seconds), ledger_damaged,
/// ledger_gone (the file was moved or deleted since it was opened), ledger_away and ledger_refused (of a server). What was stored before stays. Not to be
/// called from several threads at once.
class Ledger {
 public:
  /// The version of the schema that this code reads and writes.
  static constexpr int version = 6;

  /// update: of a database, makes its tables or brings them up to date, which needs the rights of its owner, and gives the
  /// roles assay_reader and assay_runner theirs; of a file, as create.
  enum class OpenMode { create, existing, update };

  /// Opens the ledger at a place (see Place::of()); with OpenMode::create makes a file, and its folder, if it is not there; a
  /// database's tables are there, or Error(ledger_missing) says what to do. Several
  /// processes may do so at the same time. One of an older version is brought to this one first, all of it or
  /// nothing. Throws Error for a file that is no ledger or was written by a newer version, and for an older
  /// one that can't be written; the file is then left as it was.
  explicit Ledger(const std::string& place, OpenMode opening = OpenMode::create);
  ~Ledger();
  Ledger(Ledger&&) noexcept;
  Ledger& operator=(Ledger&&) noexcept;

  const Place& place() const;

  /// Who hears, in words, that a server can't be reached and is waited for; a stop request ends the wait within seconds, and
  /// the call throws.
  void set_listener(std::function<void(const std::string&)> listener, std::stop_token stop = {});

  /// Lays down a new campaign: everything in `record` but rounds, trials and looks. This process measures it.
  CampaignId begin(const Record& record);

  /// Lays down a campaign that is over, with its rounds and trials: all of it or nothing.
  CampaignId add_whole(const Record& record);

  /// Another stretch of work on a campaign, by this process, as its next session; the campaign is open again.
  /// Throws Error(in_use) when somebody measures it now: a process of this boot (the session's) is looked
  /// for; another one is believed to be at work for a minute after it was last heard of. Of several that try
  /// at once, one succeeds. Rounds that were cut off are aborted.
  void add_session(CampaignId campaign, const Session& session);

  /// Takes part in a campaign beside those who measure it, as its next session, whose number is returned. Throws Error for
  /// one that has ended or is to end, and Error(in_use) for a file that is measured on another machine: a file serves one
  /// machine, several need a database.
  SessionId join(CampaignId campaign, const Session& session);

  /// What others have done in a campaign. Whoever looks aborts the open rounds of sessions that nobody is at work in any
  /// more: in a file at once; in a database where its lock is free at two looks ten seconds apart; in both where nothing was
  /// stored for the time that was asked for when they were claimed. Cost: a few queries, and what is new.
  CampaignChanges changes(const KnownCampaign& known);

  /// Claims the campaign's next round for a session: the number is given out here, in the order of claiming,
  /// and the round is what `plan_of` makes of it; empty where that is nothing, or the campaign has ended. It is aborted when
  /// nothing is stored of it for `seconds`. `plan_of` is given what others have done. Throws Error(ledger_newer) where the
  /// ledger was brought to a newer version meanwhile.
  std::optional<Round> claim_round(
      const KnownCampaign& known, double seconds,
      const std::function<std::optional<RoundPlan>(int number, const CampaignChanges&)>& plan_of);

  /// Closes an open round. False: it was aborted before, by somebody who took this process for gone.
  bool set_round_state(CampaignId campaign, int number, RoundState state);

  /// Stores a trial with its readings. Throws for a second trial of one cell in one round, and for a reading
  /// that is not finite. Cost: one synchronous write, about 0.1 ms on a solid-state disk.
  void add_trial(CampaignId campaign, const Trial& trial);

  void set_cell_status(CampaignId campaign, CellId cell, const CellStatus& state);
  void set_check_warning(CampaignId campaign, const CheckWarning& doubt);
  /// That comparisons need no more rounds.
  void set_decided(CampaignId campaign, std::span<const Comparison> decided);

  /// Ends a session and its rounds. ended: the campaign ends, with all rounds that are open. interrupted: it is interrupted,
  /// unless others measure it, who go on. open: it stays as it is.
  void end_session(CampaignId campaign, SessionId session, CampaignState state);
  /// Lets nobody begin more rounds of a campaign. Where nobody measures it, it has ended.
  void close_campaign(CampaignId campaign);
  void set_label(CampaignId campaign, const std::string& label);
  void add_look(CampaignId campaign, const InterimLook& look);
  void add_way_choice(CampaignId campaign, const WayChoice& choice);
  /// All that a campaign sampled of its programs, in place of what is there.
  void set_code_samples(CampaignId campaign, const CodeSampleLog& samples);

  /// What copy() did.
  struct Copied {
    std::size_t campaigns = 0, trials = 0;
    std::size_t there_already = 0;            ///< campaigns that the other ledger had
    std::vector<std::string> being_measured;  ///< uids of those that were left out
  };
  /// Copies campaigns, all or those named, that another ledger does not have, with all that is stored of them. Each is one
  /// transaction: where it is cut off it can be begun again. Those that are being measured are left out. `done`, if any, is
  /// called after each. Cost: linear in their rows.
  Copied copy(Ledger& to, std::span<const CampaignId> only,
              const std::function<void(const Copied&)>& done = {});

  /// Newest first, by the order in which they were created. Cost: linear in what is listed and its rounds; no trial is looked
  /// at. By commit, or by kind and plan, they are found by an index.
  std::vector<CampaignSummary> list(const CampaignFilter& which = {});

  /// Those that a text may mean (see find_campaign()), newest first, as many as 100. Cost: by an index.
  std::vector<CampaignSummary> matching(const std::string& text);

  /// The full ids of commits that campaigns of histories are measuring now. Cost: linear in the open ones of the newest
  /// hundred of these.
  std::set<std::string> commits_being_measured();

  /// The campaigns that looked into this one's findings by sampled rounds, newest first.
  std::vector<CampaignId> sampled_for(CampaignId campaign);

  /// How a campaign stands, and who measures it. Cost: a few queries over sessions and rounds.
  CampaignActivity activity(CampaignId campaign);

  /// The plan of a campaign, in the plan file's language.
  std::string plan_of(CampaignId campaign);

  /// Everything that is stored of a campaign. Throws Error for one whose trials were reduced. Ids are
  /// checked: those that name nothing mean a damaged ledger. Cost: linear in its trials.
  Record read(CampaignId campaign);

  /// Takes a campaign's trials out for good and keeps `values` in their place, a text that says what is still
  /// to be known of them; read() refuses it from then on. All or nothing; gives the space back, as remove().
  void compact(CampaignId campaign, const std::string& values);

  /// What compact() kept of a campaign; empty where it has its trials.
  std::string compacted_values(CampaignId campaign);

  /// What a campaign shows of a history, as a text of its reader's, so that it need not be read and judged again.
  struct HistoryValues {
    CampaignId campaign;
    std::string values;
  };
  /// Keeps texts for a reference commit and a version of the judge, beside the campaigns' trials; of those that have not
  /// ended, or are being measured, nothing is kept, and what is there stays. One transaction.
  void keep_history_values(std::span<const HistoryValues> all, const std::string& reference, int judge);

  /// By campaign, what keep_history_values() kept for this reference and version, or for no reference (empty), and what
  /// compact() kept. Cost: one query.
  std::map<CampaignId, std::string> history_values(const std::string& reference, int judge);

  /// Takes campaigns and their trials out for good, all of them or none, and gives the space back. On a full
  /// disk too: a file beside the ledger, PATH-reserve, keeps a mebibyte for that. Campaigns that measured
  /// their findings again stay, but no longer name them.
  void remove(std::span<const CampaignId> campaigns);

 private:
  struct State;
  std::unique_ptr<State> state_;
};

}  // namespace assay::ledger
