#pragma once

#include <functional>
#include <string>
#include <vector>

#include "assay/campaign/observer.hpp"

namespace assay::test {
using namespace model;

/// An observer that calls what it was given.
struct Observing : campaign::Observer {
  std::function<void(const campaign::Progress&)> when_progress;
  std::function<void(const Design&)> when_started;
  std::function<void(campaign::WhenBusy)> when_busy;
  std::vector<std::string> heard;
  int forecasts = 0;

  void on_message(const std::string& text) override { heard.push_back(text); }
  void on_busy(campaign::WhenBusy what) override {
    if (when_busy) when_busy(what);
  }
  void on_start(const Design& design) override {
    if (when_started) when_started(design);
  }
  void on_forecast(const Forecast& /*outlook*/, const Design& /*design*/) override { ++forecasts; }
  void on_progress(const campaign::Progress& progress) override {
    if (when_progress) when_progress(progress);
  }
};

}  // namespace assay::test
