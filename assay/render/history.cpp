#include <algorithm>
#include <cmath>
#include <map>
#include <nlohmann/json.hpp>
#include <vector>

#include "assay/model/enum_names.hpp"
#include "assay/model/text.hpp"
#include "assay/render/documents.hpp"
#include "assay/report/format.hpp"
#include "assay/report/history_text.hpp"
#include "assay/stats/location.hpp"

namespace assay::render {

namespace {

constexpr std::size_t chart_width = 72, chart_height = 9;

/// Values on the tests' scale as rows of a chart, the largest on top.
class Grid {
 public:
  Grid(double low, double high)
      : low_(low), high_(high), cells_(chart_height, std::vector<std::string>(chart_width, " ")) {}

  std::size_t row(double value) const {
    const double share = high_ > low_ ? (high_ - value) / (high_ - low_) : 0.5;
    return static_cast<std::size_t>(std::lround(std::clamp(share, 0.0, 1.0) * (chart_height - 1)));
  }
  double value_of(std::size_t row) const {
    return high_ - (high_ - low_) * static_cast<double>(row) / (chart_height - 1);
  }
  void put(std::size_t at, double value, const char* mark) { cells_[row(value)][at] = mark; }
  std::string text(std::size_t row) const {
    std::string text;
    for (const auto& cell : cells_[row]) text += cell;
    return text.substr(0, text.find_last_not_of(' ') + 1);
  }

 private:
  double low_, high_;
  std::vector<std::vector<std::string>> cells_;
};

std::size_t column_of(std::size_t place, std::size_t commits) {
  return commits < 2 ? 0 : place * (chart_width - 1) / (commits - 1);
}

std::string chart_of_line(const History& history, const HistoryLine& line) {
  double low = 0, high = 0;
  for (const auto& point : line.points) {
    low = std::min(low, point.effect.transformed());
    high = std::max(high, point.effect.transformed());
  }
  constexpr double least_span = 0.01;
  if (high - low < least_span) high = low + least_span;
  Grid grid(low, high);
  const auto commits = history.commits.size();
  for (std::size_t at = 0; at < chart_width; ++at) grid.put(at, 0, "·");
  for (const auto& level : line.levels)
    for (auto at = column_of(line.points[level.first].commit_index, commits);
         at <= column_of(line.points[level.end - 1].commit_index, commits); ++at)
      grid.put(at, level.level.transformed(), "─");
  std::map<std::size_t, std::vector<double>> columns;
  for (const auto& point : line.points)
    columns[column_of(point.commit_index, commits)].push_back(point.effect.transformed());
  for (const auto& [at, values] : columns) grid.put(at, stats::median(values), "●");
  std::string text;
  for (std::size_t row = 0; row < chart_height; ++row) {
    const bool named = row == 0 || row == chart_height - 1 || row == grid.row(0);
    const double value = row == grid.row(0) ? 0 : grid.value_of(row);
    const auto label =
        named ? report::change_of_effect(line, Effect::from_transformed(line.metric.scale, value))
              : std::string{};
    text += report::pad_left(label, 10) + " │" + grid.text(row) + "\n";
  }
  const auto &first = history.commits.front(), &last = history.commits.back();
  const auto from = report::iso_date(first.time), to = report::iso_date(last.time);
  text += std::string(12, ' ') + report::pad_right(from, chart_width - to.size()) + to + "\n";
  return text;
}

using Json = nlohmann::ordered_json;

Json ends_of(const Interval& interval) {
  const auto end = [](double x) { return std::isfinite(x) ? Json(x) : Json(nullptr); };
  return {end(interval.low), end(interval.high)};
}

Json commit_json(const CommitFacts& commit) {
  return {{"commit", commit.id}, {"subject", commit.subject}, {"time", commit.time}};
}

Json line_json(const History& history, const HistoryLine& line) {
  const auto id = [&](std::size_t point) { return history.commits[line.points[point].commit_index].id; };
  Json points = Json::array(), steps = Json::array(), breaks = Json::array();
  for (const auto& point : line.points) {
    auto entry = commit_json(history.commits[point.commit_index]);
    entry.update({{"effect", point.effect.value},
                  {"interval", ends_of(point.interval)},
                  {"rounds", point.rounds},
                  {"campaigns", point.campaigns},
                  {"heterogeneous", point.heterogeneous},
                  {"shifted", point.shifted}});
    points.push_back(std::move(entry));
  }
  for (const auto& step : line.steps)
    steps.push_back({{"before", id(step.before)},
                     {"after", id(step.after)},
                     {"commits", report::commits_of(line, step)},
                     {"status", to_string(step.status)},
                     {"effect", step.effect.value},
                     {"interval", step.measured ? ends_of(step.measured->interval) : Json(nullptr)},
                     {"verdict", step.measured ? Json(to_string(step.measured->verdict)) : Json(nullptr)},
                     {"p_adjusted", step.p_adjusted}});
  for (const auto& change : line.breaks)
    breaks.push_back({{"what", report::break_text(line, change)},
                      {"shift", change.shift ? Json(change.shift->value) : Json(nullptr)},
                      {"anchors", change.overlapping_commits}});
  return {{"workload", line.workload},   {"setting", line.setting},
          {"metric", line.metric.name},  {"scale", to_string(line.metric.scale)},
          {"points", std::move(points)}, {"steps", std::move(steps)},
          {"breaks", std::move(breaks)}};
}

}  // namespace

std::string to_text(const History& history) {
  std::string text = report::wrap(report::coverage_text(history), 0) + "\n";
  for (const auto& line : history.lines) {
    text += "\n" + report::line_label(history, line) + ", change against " + history.reference + "\n" +
            chart_of_line(history, line);
    for (const auto& sentence : report::sentences_of(history, line))
      text += "  " + report::wrap(printable(sentence.text), 4) + "\n";
  }
  if (!history.unmeasurable.empty()) text += "\n";
  for (const auto& [commit, why] : history.unmeasurable)
    text += report::wrap("could not be measured: " + report::commit_text(commit) + ": " +
                             printable_line(why.substr(0, why.find('\n')), 160),
                         2) +
            "\n";
  const auto notes = report::notes_of(history);
  if (!notes.empty()) text += "\n";
  for (const auto& note : notes) text += report::wrap("note, " + printable(note), 2) + "\n";
  return text;
}

std::string to_json(const History& history) {
  Json lines = Json::array(), silent = Json::array();
  for (const auto& line : history.lines) lines.push_back(line_json(history, line));
  for (const auto& [commit, why] : history.unmeasurable) {
    silent.push_back(commit_json(commit));
    silent.back()["why"] = why;
  }
  const Json document = {{"format", 1},
                         {"title", history.title},
                         {"reference", history.reference},
                         {"branch", history.branch},
                         {"interrupted", history.interrupted},
                         {"commits", history.commits.size()},
                         {"measured", history.measured},
                         {"missing", history.missing},
                         {"measured_now", history.measured_now},
                         {"seconds", history.seconds},
                         {"silent", std::move(silent)},
                         {"lines", std::move(lines)}};
  return document.dump(2, ' ', false, Json::error_handler_t::replace) + "\n";
}

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
                   {"end_to_end", compared_json(located.end_to_end)}};
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
