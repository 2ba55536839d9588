#pragma once

#include <cstddef>
#include <optional>
#include <stop_token>
#include <string>
#include <vector>

#include "assay/model/design.hpp"
#include "assay/model/history.hpp"
#include "assay/model/log.hpp"
#include "assay/model/results.hpp"

namespace assay::engine {

/// How far a campaign has come.
struct Progress {
  enum class Phase { checking, measuring };
  Phase phase = Phase::checking;
  Role role = Role::check;  ///< of the trials that run next
  CellId cell;              ///< that runs next
  int done = 0;             ///< checks or whole judged rounds
  int planned = 0;          ///< of them, at most
  int decided = 0;          ///< comparisons that need no more rounds, of `comparisons`; twins don't count
  int comparisons = 0;
  int processes = 1;                   ///< that measure the campaign now
  double seconds_spent = 0;            ///< seconds since the phase began
  std::optional<double> seconds_left;  ///< seconds, estimated; empty until a round was seen
};

/// How far a search for a commit has come.
struct SearchProgress {
  const std::vector<CommitFacts>& commits;  ///< that may have done it, oldest first
  std::vector<double> probability;          ///< of each
  std::size_t pairs = 0;                    ///< measured so far
  CommitFacts now;                          ///< the one that is measured next
};

/// What to do while another campaign measures on this machine: wait for its end, or go on beside it, which is
/// noted in the findings.
enum class WhenBusy { wait, proceed };

/// Receives the events of a campaign. Every call comes from the thread that carries it out, never while a
/// trial runs; the values are good during the call only. What a call throws ends the campaign.
class Observer {
 public:
  virtual ~Observer() = default;

  /// What there is to know before measuring: builds as they go, what a check leaves open.
  virtual void on_message(const std::string& /*text*/) {}
  /// Another campaign is at work: what is done about it, and who measures ("process 12 of user 1000"; may be
  /// empty). Reported once, and again where waiting has taken too long.
  virtual void on_busy(WhenBusy /*what*/, const std::string& /*who*/) {}
  /// What is about to be measured, once it is known and before anything runs.
  virtual void on_start(const Design& /*design*/) {}
  /// What can be expected of the rest: once when the answers have been checked, and again when the first few
  /// rounds have been measured.
  virtual void on_forecast(const Forecast& /*outlook*/, const Design& /*design*/) {}
  /// How the programs of each workload and setting are run, once that has been chosen.
  virtual void on_ways(const std::vector<WayChoice>& /*ways*/, const Design& /*design*/) {}
  /// Before each check and each trial.
  virtual void on_progress(const Progress& /*progress*/) {}
  /// Before each pair of a search for a commit.
  virtual void on_search(const SearchProgress& /*progress*/) {}
  /// The whole record, at the end.
  virtual void on_end(const Record& /*record*/) {}
};

/// How a process takes part in a campaign that others measure.
struct Joining {
  std::string uid;      ///< of the campaign
  std::string label;    ///< what this machine is called in lists; may be empty
  bool unlike = false;  ///< takes part although the machine, or what it builds, is unlike the others'
  /// No round is begun when two of the longest would not end within so many; 0: no limit.
  double seconds = 0;
};

/// How anything is measured, whatever it is: a plan, a history, a contest.
struct RunOptions {
  /// Path of the ledger that keeps every trial. Empty: in memory only.
  std::string ledger;
  /// The command that would measure this again, for those who read the findings.
  std::string repeat_command;
  /// Goes on with the newest campaign of the same in the ledger where it was cut off, if there is one. Rounds
  /// that were cut off stay aborted; looks that were taken stay spent. One that has ended is judged again,
  /// and nothing is run.
  bool resume = false;
  /// Takes part in a campaign of the ledger, in place of laying one down.
  std::optional<Joining> join;
  WhenBusy when_busy = WhenBusy::proceed;
  /// The lock that campaigns hold while they measure: those of another name do not wait for each other.
  /// Empty: the value of ASSAY_MACHINE_LOCK, else the machine's.
  std::string machine_lock;
  /// Receives events; may be null. Must outlive the call.
  Observer* observer = nullptr;
  /// Ends the running trial and with it the campaign; what was measured is judged, as provisional.
  std::stop_token stop;
};

/// Forwards every event, or messages only, and keeps the record at the end. `to` may be null; must outlive
/// this.
class RecordKeeper : public Observer {
 public:
  enum class Forward { everything, messages };
  explicit RecordKeeper(Observer* to, Forward what = Forward::everything)
      : to_(to), rest_(what == Forward::everything ? to : nullptr) {}

  void on_message(const std::string& text) override {
    if (to_ != nullptr) to_->on_message(text);
  }
  void on_busy(WhenBusy what, const std::string& who) override {
    if (rest_ != nullptr) rest_->on_busy(what, who);
  }
  void on_start(const Design& design) override {
    if (rest_ != nullptr) rest_->on_start(design);
  }
  void on_forecast(const Forecast& forecast, const Design& design) override {
    if (rest_ != nullptr) rest_->on_forecast(forecast, design);
  }
  void on_ways(const std::vector<WayChoice>& ways, const Design& design) override {
    if (rest_ != nullptr) rest_->on_ways(ways, design);
  }
  void on_progress(const Progress& progress) override {
    if (rest_ != nullptr) rest_->on_progress(progress);
  }
  void on_end(const Record& record) override {
    record_ = record;
    if (rest_ != nullptr) rest_->on_end(record);
  }
  Record& record() { return record_; }

 private:
  Observer *to_, *rest_;
  Record record_;
};

}  // namespace assay::engine
