#pragma once

#include <functional>
#include <string>
#include <vector>

#include "assay/campaign/observer.hpp"

namespace assay::test {

/// An observer that calls what it was given.
struct Observing : campaign::Observer {
  std::function<void(const campaign::Progress&)> on_progress;
  std::function<void(const Design&)> on_begun;
  std::function<void(campaign::WhenBusy)> on_busy;
  std::vector<std::string> heard;
  int forecasts = 0;

  void said(const std::string& text) override { heard.push_back(text); }
  void busy(campaign::WhenBusy what) override {
    if (on_busy) on_busy(what);
  }
  void begun(const Design& design) override {
    if (on_begun) on_begun(design);
  }
  void forecast(const Outlook& /*outlook*/, const Design& /*design*/) override { ++forecasts; }
  void progress(const campaign::Progress& progress) override {
    if (on_progress) on_progress(progress);
  }
};

}  // namespace assay::test
