#pragma once

#include <chrono>
#include <string>

#include "assay/campaign/loop.hpp"
#include "assay/model/campaign.hpp"

namespace assay::front {

/// Shows how far a campaign has come, on stderr: one line that is written over on a terminal, else a plain
/// line every ten seconds.
class ProgressLine {
 public:
  ProgressLine();
  ~ProgressLine();
  ProgressLine(const ProgressLine&) = delete;
  ProgressLine& operator=(const ProgressLine&) = delete;

  /// Lines of their own, which stay.
  void say(const std::string& text);
  /// Names what is measured from then on; says who the candidates are, and warns of unlike builds and of
  /// comparing a program with itself.
  void begin(const Record& record);
  void show(const campaign::Progress& progress);
  /// Takes the line off the terminal.
  void clear();

 private:
  Record names_;
  bool terminal_;
  bool shown_ = false;
  std::chrono::steady_clock::time_point last_ = std::chrono::steady_clock::now();
};

}  // namespace assay::front
