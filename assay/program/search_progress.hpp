#pragma once

#include <chrono>

#include "assay/history/observer.hpp"
#include "assay/program/progress.hpp"

namespace assay::program {

/// Shows how far the measuring of a history has come, on stderr: its campaigns as ProgressLine does, and a
/// search as a strip over the commits, the higher the likelier.
class SearchProgress : public history::Observer {
 public:
  void on_message(const std::string& text) override { line_.on_message(text); }
  void on_busy(campaign::WhenBusy what) override { line_.on_busy(what); }
  /// Commits of one project are alike: nothing is said of that.
  void on_start(const Design& design) override { line_.name_cells_by(design); }
  void on_progress(const campaign::Progress& progress) override { line_.on_progress(progress); }
  void searching(const history::Searching& searching) override;
  void clear() { line_.clear(); }

 private:
  ProgressLine line_;
};

}  // namespace assay::program
