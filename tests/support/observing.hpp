#pragma once

#include <functional>
#include <string>
#include <vector>

#include "assay/engine/observer.hpp"

namespace assay::test {
using namespace model;

/// An observer that calls what it was given.
struct Observing : engine::Observer {
  std::function<void(const engine::Progress&)> when_progress;
  std::function<void(const Design&)> when_started;
  std::function<void(engine::WhenBusy)> when_busy;
  std::vector<std::string> heard;
  int forecasts = 0;

  void on_message(const std::string& text) override { heard.push_back(text); }
  void on_busy(engine::WhenBusy what, const std::string& /*who*/) override {
    if (when_busy) when_busy(what);
  }
  void on_start(const Design& design) override {
    if (when_started) when_started(design);
  }
  void on_forecast(const Forecast& /*outlook*/, const Design& /*design*/) override { ++forecasts; }
  void on_progress(const engine::Progress& progress) override {
    if (when_progress) when_progress(progress);
  }
};

}  // namespace assay::test
