#pragma once

#include <chrono>
#include <string>

#include "assay/campaign/observer.hpp"
#include "assay/model/design.hpp"

namespace assay::program {

/// Shows how far a campaign has come, on stderr: one line that is written over on a terminal, else a plain
/// line every ten seconds; what is said, and what can be expected, on lines of their own.
class ProgressLine : public campaign::Observer {
 public:
  ProgressLine();
  ~ProgressLine() override;
  ProgressLine(const ProgressLine&) = delete;
  ProgressLine& operator=(const ProgressLine&) = delete;

  void on_message(const std::string& text) override;
  void on_busy(campaign::WhenBusy what) override;
  /// Says who the candidates are, and warns of unlike builds and of comparing a program with itself.
  void on_start(const Design& design) override;
  void on_forecast(const Forecast& outlook, const Design& design) override;
  void on_progress(const campaign::Progress& progress) override;

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

}  // namespace assay::program
