#include "assay/render/located.hpp"

#include <algorithm>
#include <cmath>
#include <nlohmann/json.hpp>

#include "assay/model/names.hpp"
#include "assay/report/cells.hpp"
#include "assay/report/located.hpp"

namespace assay::render {
namespace {

using Json = nlohmann::ordered_json;

Json ends_of(const Interval& interval, Scale scale) {
  const auto end = [&](double x, bool low) {
    const bool open = !std::isfinite(x) || (low && scale == Scale::ratio && x == 0);
    return open ? Json(nullptr) : Json(x);
  };
  return {end(interval.low, true), end(interval.high, false)};
}

Json compared_json(const CommitsCompared& compared) {
  return {{"before", compared.before},
          {"after", compared.after},
          {"verdict", to_string(compared.verdict)},
          {"effect", compared.effect.value},
          {"interval", ends_of(compared.interval, compared.effect.scale)},
          {"rounds", compared.rounds},
          {"campaign", compared.campaign}};
}

Json step_json(const CommitSearchStep& step) {
  Json run = Json::array();
  for (const auto& commit : step.commits) run.push_back({{"commit", commit.id}, {"subject", commit.subject}});
  const auto& found = step.confirmation;
  return {{"commit", step.commits.back().id},
          {"subject", step.commits.back().subject},
          {"probability", step.probability},
          {"confirmed", step.confirmed},
          {"effect", found ? Json(found->effect.value) : Json(nullptr)},
          {"interval", found ? ends_of(found->interval, found->effect.scale) : Json(nullptr)},
          {"run", std::move(run)},
          {"parent", step.parent},
          {"merge", step.is_merge}};
}

}  // namespace

std::string to_text(const CommitSearchResult& located) {
  std::string text;
  for (const auto& line : report::located_lines(located)) {
    const auto indent = std::min(line.find_first_not_of(' '), line.size());
    text += std::string(indent, ' ') + report::wrap(line, indent + 2) + "\n";
  }
  return text;
}

std::string to_json(const CommitSearchResult& located) {
  Json document = {{"format", 1},
                   {"status", to_string(located.status)},
                   {"interrupted", located.interrupted},
                   {"good", located.good},
                   {"bad", located.bad},
                   {"looked_for", to_string(located.smallest_change)},
                   {"workload", located.workload},
                   {"setting", located.setting},
                   {"metric", located.metric.name},
                   {"scale", to_string(located.metric.scale)},
                   {"whole", compared_json(located.end_to_end)}};
  if (!located.steps.empty()) document.update(step_json(located.steps.front()));
  Json steps = Json::array(), silent = Json::array();
  for (const auto& step : located.steps) steps.push_back(step_json(step));
  for (const auto& [commit, why] : located.unmeasurable)
    silent.push_back({{"commit", commit.id}, {"why", why}});
  document.update({{"steps", std::move(steps)},
                   {"silent", std::move(silent)},
                   {"commits", located.commits},
                   {"builds", located.builds},
                   {"pairs", located.pairs},
                   {"earlier_pairs", located.earlier_pairs},
                   {"seconds", located.seconds}});
  return document.dump(2, ' ', false, Json::error_handler_t::replace) + "\n";
}

}  // namespace assay::render
