#include <algorithm>
#include <kainjow/mustache.hpp>

#include "assay/model/enum_names.hpp"
#include "assay/model/text.hpp"
#include "assay/render/documents.hpp"
#include "assay/render/page_sections.hpp"
#include "assay/report/format.hpp"
#include "assay/report/history_text.hpp"

namespace assay::render {
namespace {

using kainjow::mustache::data;
using kainjow::mustache::mustache;

std::string interval_text(const HistoryLine& line, const Interval& interval) {
  return report::range_text(interval, line.metric.scale, line.metric.unit);
}

/// Points with their intervals over the commits, the levels as steps, and where steps were claimed.
ChartJson history_chart(const History& history, const HistoryLine& line) {
  auto points = ChartJson::array(), levels = ChartJson::array(), marks = ChartJson::array();
  const bool ratio = line.metric.scale == Scale::ratio;
  const auto shown = [&](double x) { return rounded(ratio ? (x - 1) * 100 : x); };
  // Intervals that are much wider than what the points span are cut at the chart's ends.
  double least = 0, most = 0;
  for (const auto& point : line.points) {
    least = std::min(least, shown(point.effect.value));
    most = std::max(most, shown(point.effect.value));
  }
  const double room = std::max(0.3 * (most - least), ratio ? 1.0 : 1e-12);
  least -= room;
  most += room;
  for (const auto& point : line.points) {
    const auto& commit = history.commits[point.commit_index];
    points.push_back({{"at", point.commit_index},
                      {"change", shown(point.effect.value)},
                      {"low", std::max(least, shown(point.interval.low))},
                      {"high", std::min(most, shown(point.interval.high))},
                      {"commit", commit.short_id()},
                      {"subject", printable_line(commit.subject, 80)},
                      {"day", report::iso_date(commit.time)},
                      {"change_text", report::change_of_effect(line, point.effect) + " (" +
                                          interval_text(line, point.interval) + ")"}});
  }
  for (const auto& level : line.levels)
    levels.push_back({{"at", line.points[level.first].commit_index},
                      {"end", line.points[level.end - 1].commit_index},
                      {"change", shown(level.level.value)}});
  for (const auto& step : line.steps) {
    const bool claimed =
        step.status == HistoryStep::Status::confirmed || step.status == HistoryStep::Status::drift;
    if (!claimed) continue;
    const bool drift = step.status == HistoryStep::Status::drift;
    const bool more = step.effect.transformed() > 0;
    marks.push_back({{"at", line.points[drift ? step.from : step.before].commit_index},
                     {"end", line.points[drift ? step.to : step.after].commit_index},
                     {"tone", more == (line.metric.direction == Direction::higher) ? "better" : "worse"},
                     {"change_text", report::change_of_effect(line, step.effect) + ", " +
                                         report::status_text(step.status)}});
  }
  const ChartJson x = {{"field", "at"},
                       {"type", "quantitative"},
                       {"title", "commits after " + history.reference},
                       {"scale", {{"domain", {0, history.commits.size() - 1}}, {"nice", false}}},
                       {"axis", {{"tickMinStep", 1}, {"format", "d"}}}};
  const auto title = "change of " + line.metric.name +
                     (ratio                      ? " (%)"
                      : line.metric.unit.empty() ? ""
                                                 : " (" + line.metric.unit + ")");
  const ChartJson y = {{"field", "change"},
                       {"type", "quantitative"},
                       {"title", title},
                       {"scale", {{"domain", {least, most}}, {"nice", false}}}};
  const ChartJson tips = {{{"field", "commit"}, {"title", "commit"}},
                          {{"field", "subject"}, {"title", "subject"}},
                          {{"field", "day"}, {"title", "day"}},
                          {{"field", "change_text"}, {"title", "change"}}};
  auto spec = chart_of(1, points);
  spec["height"] = 260;
  spec["layer"] = ChartJson::array(
      {{{"data", {{"values", marks}}},
        {"mark", {{"type", "rect"}, {"opacity", 0.18}}},
        {"encoding",
         {{"x", x},
          {"x2", {{"field", "end"}}},
          {"color", {{"field", "tone"}, {"type", "nominal"}, {"scale", "VERDICTS"}, {"legend", nullptr}}},
          {"tooltip", {{{"field", "change_text"}, {"title", "step"}}}}}}},
       {{"data", {{"values", ChartJson::array({ChartJson{{"change", 0}}})}}},
        {"mark", {{"type", "rule"}, {"strokeDash", {4, 4}}, {"color", "INK"}}},
        {"encoding", {{"y", y}}}},
       {{"mark", {{"type", "rule"}, {"opacity", 0.45}}},
        {"encoding",
         {{"x", x},
          {"y", {{"field", "low"}, {"type", "quantitative"}, {"title", title}}},
          {"y2", {{"field", "high"}}},
          {"color", {{"value", "INK"}}}}}},
       {{"data", {{"values", levels}}},
        {"mark", {{"type", "rule"}, {"strokeWidth", 2.5}}},
        {"encoding", {{"x", x}, {"x2", {{"field", "end"}}}, {"y", y}, {"color", {{"value", "INK"}}}}}},
       {{"mark", {{"type", "point"}, {"filled", true}, {"size", 45}, {"opacity", 1}}},
        {"encoding", {{"x", x}, {"y", y}, {"tooltip", tips}}}}});
  return spec;
}

data points_of(const History& history, const HistoryLine& line) {
  data list(data::type::list);
  for (auto point = line.points.rbegin(); point != line.points.rend(); ++point) {
    const auto& commit = history.commits[point->commit_index];
    data row;
    row["commit"] = commit.short_id();
    row["day"] = report::iso_date(commit.time);
    row["subject"] = printable_line(commit.subject, 120);
    row["change"] = report::change_of_effect(line, point->effect);
    row["interval"] = interval_text(line, point->interval);
    row["rounds"] = std::to_string(point->rounds);
    row["remark"] = std::string(point->heterogeneous ? "its campaigns differ by more than chance"
                                : point->shifted     ? "moved by the anchors"
                                                     : "");
    list << row;
  }
  return list;
}

data steps_of(const History& history, const HistoryLine& line) {
  data list(data::type::list);
  for (const auto& step : line.steps) {
    const bool drift = step.status == HistoryStep::Status::drift;
    const auto before = line.points[drift ? step.from : step.before].commit_index,
               after = line.points[drift ? step.to : step.after].commit_index;
    data row;
    row["before"] = report::commit_text(history.commits[before]);
    row["after"] = report::commit_text(history.commits[after]);
    row["commits"] = std::to_string(after - before);
    row["change"] = report::change_of_effect(line, step.effect);
    row["interval"] = step.measured ? interval_text(line, step.measured->interval) : std::string("–");
    row["status"] = report::status_text(step.status);
    row["tone"] = step.measured ? to_string(step.measured->verdict) : std::string("unclear");
    list << row;
  }
  return list;
}

}  // namespace

std::string to_page(const History& history) {
  data page;
  page["title"] = history.title.empty() ? "History since " + history.reference : history.title;
  page["style"] = page_style();
  page["script"] = page_script();
  page["libraries"] = page_libraries();
  page["interrupted"] = history.interrupted;
  page["extent"] = report::coverage_text(history);
  auto charts = ChartJson::object();
  data answers(data::type::list), lines(data::type::list), silent(data::type::list), notes(data::type::list);
  for (const auto& line : history.lines) {
    data answer, says(data::type::list), section;
    for (const auto& sentence : report::sentences_of(history, line)) {
      data sentences;
      sentences["text"] = printable(sentence.text);
      sentences["tone"] = to_string(sentence.verdict);
      says << sentences;
    }
    answer["line"] = report::line_label(history, line);
    answer["says"] = data(says);
    answers << answer;
    const auto name = "c" + std::to_string(charts.size());
    charts[name] = history_chart(history, line);
    section["chart"] = name;
    section["heading"] = report::line_label(history, line);
    section["legend"] =
        "change against " + history.reference +
        ", with its interval; a thick line is a level, a shaded stretch a step that was confirmed";
    section["has_steps"] = !line.steps.empty();
    section["steps"] = steps_of(history, line);
    section["count"] = std::to_string(line.points.size());
    section["points"] = points_of(history, line);
    lines << section;
  }
  for (const auto& [commit, why] : history.unmeasurable) {
    data entry;
    entry["commit"] = report::commit_text(commit);
    entry["why"] = printable_line(why.substr(0, why.find('\n')), 300);
    silent << entry;
  }
  for (const auto& note : report::notes_of(history)) {
    data entry;
    entry["text"] = printable(note);
    notes << entry;
  }
  page["answers"] = data(answers);
  page["lines"] = data(lines);
  page["has_silent"] = !history.unmeasurable.empty();
  page["silent"] = data(silent);
  page["has_notes"] = !report::notes_of(history).empty();
  page["notes"] = data(notes);
  page["data"] = in_script({{"charts", charts}});
  mustache form(history_form());
  return form.render(page);
}

}  // namespace assay::render
