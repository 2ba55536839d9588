#pragma once

#include <chrono>
#include <string>

#include "assay/engine/observer.hpp"
#include "assay/model/design.hpp"

namespace assay::app {

/// Shows how far a campaign has come, on stderr: one line that is written over on a terminal, else a plain
/// line every ten seconds; messages and forecasts on lines of their own.
class ProgressLine : public engine::Observer {
 public:
  ProgressLine();
  ~ProgressLine() override;
  ProgressLine(const ProgressLine&) = delete;
  ProgressLine& operator=(const ProgressLine&) = delete;

  void on_message(const std::string& text) override;
  void on_busy(engine::WhenBusy what, const std::string& who) override;
  void on_ways(const std::vector<WayChoice>& ways, const Design& design) override;
  /// Says who the candidates are, and warns of unlike builds and of comparing a program with itself.
  void on_start(const Design& design) override;
  void on_forecast(const Forecast& outlook, const Design& design) override;
  void on_progress(const engine::Progress& progress) override;

  /// Names cells as this campaign does.
  void name_cells_by(const Design& design) { names_ = design; }

  /// Shows a line in the same way: at once on a terminal, else when the last is ten seconds old.
  void show(const std::string& line);

  /// Takes the line off the terminal.
  void clear();

 private:
  Design names_;
  bool terminal_;
  bool shown_ = false;
  std::chrono::steady_clock::time_point last_ = std::chrono::steady_clock::now();
};

/// Shows how far the measuring of a history has come, on stderr: its campaigns as ProgressLine does, and a
/// search as a strip over the commits, the higher the likelier.
class HistoryProgress : public engine::Observer {
 public:
  void on_message(const std::string& text) override { line_.on_message(text); }
  void on_busy(engine::WhenBusy what, const std::string& who) override { line_.on_busy(what, who); }
  /// Commits of one project resemble each other: nothing is printed about that.
  void on_start(const Design& design) override { line_.name_cells_by(design); }
  void on_progress(const engine::Progress& progress) override { line_.on_progress(progress); }
  void on_search(const engine::SearchProgress& search) override;
  void clear() { line_.clear(); }

 private:
  ProgressLine line_;
};

}  // namespace assay::app
