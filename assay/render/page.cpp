#include <algorithm>
#include <kainjow/mustache.hpp>
#include <variant>
#include <vector>

#include "assay/judge/where.hpp"
#include "assay/model/enum_names.hpp"
#include "assay/model/redact.hpp"
#include "assay/render/charts.hpp"
#include "assay/render/documents.hpp"
#include "assay/render/page_sections.hpp"
#include "assay/report/machines_text.hpp"
#include "assay/report/report.hpp"
#include "assay/report/where_text.hpp"

namespace assay::render {

using namespace report;  // its words
namespace {

using kainjow::mustache::data;
using kainjow::mustache::mustache;

class Page {
 public:
  Page(const Findings& all, const Record& record)
      : all_(all),
        record_(record),
        report_(make_report(all, &record)),
        evidence_(record.design, record.log),
        trial_charts_(all, evidence_) {}

  std::string write() {
    data page;
    page["title"] = report_.title;
    page["style"] = page_style();
    page["script"] = page_script();
    page["libraries"] = page_libraries();
    page["provisional"] = !report_.provisional.empty();
    if (!report_.warning.empty()) page["careful"] = "Warning: " + report_.warning + ".";
    if (!report_.extent.empty()) page["extent"] = report_.extent;
    std::string ways;
    for (const auto& line : report_.ways) ways += (ways.empty() ? "" : " ") + line + ".";
    if (ways.starts_with("run ")) ways.front() = 'R';
    if (!ways.empty()) page["ways"] = ways;
    page["filter_example"] = filter_example();
    put_sentences(report_, page);
    put_views(report_, page);
    page["blocks"] = blocks();
    page["where"] = where();
    data remarks(data::type::list);
    for (const auto& remark : all_.where_remarks) remarks << data("text", remark);
    page["where_remarks"] = data(remarks);
    page["charts"] = more_charts(false);
    page["folded_charts"] = more_charts(true);
    put_profiles(report_, page);
    put_aggregates(report_, page);
    put_left_out(report_, page);
    put_notes(report_, page);
    put_provenance(report_, page);
    page["data"] = in_script({{"charts", charts_},
                              {"details", details_},
                              {"forms", trial_charts_.forms()},
                              {"values", trial_charts_.values()}});
    mustache form(findings_form());
    return form.render(page);
  }

 private:
  /// What one may filter rows by here: "heap", "heap, or locks=800".
  std::string filter_example() const {
    std::string candidate, level;
    for (const auto& c : all_.design.candidates)
      if (c.baseline && !c.twin_of && candidate.empty()) candidate = c.name;
    for (const auto& factor : all_.design.factors)
      if (!factor.levels.empty() && level.empty())
        level = factor.name + "=" + to_string(factor.levels.back());
    if (level.empty() && all_.design.workloads.size() > 1) level = all_.design.workloads.back().name;
    return candidate + (candidate.empty() || level.empty() ? "" : ", or ") + level;
  }

  std::string keep(ChartJson chart) {
    auto name = "c" + std::to_string(charts_.size());
    charts_[name] = std::move(chart);
    return name;
  }

  data blocks() {
    data list(data::type::list);
    for (const auto& of : report_.blocks) {
      data block;
      block["heading"] = (all_.design.workloads.size() > 1 ? of.workload_name + ": " : "") + of.metric_name;
      block["legend"] = of.better + "; " + of.margin_text;
      data rows(data::type::list);
      std::vector<const Row*> found, missing;
      for (const auto& setting : of.settings)
        for (const auto& row : setting.rows) (row.finding != nullptr ? found : missing).push_back(&row);
      std::ranges::sort(found, {}, [](const Row* row) { return row->finding; });
      std::ranges::sort(missing, {}, [](const Row* row) { return row->cell; });
      for (const auto* row : found) rows << entry(*row);
      for (const auto* row : missing) rows << entry(*row);
      if (!of.advice.empty()) block["advice"] = of.advice;
      block["rows"] = data(rows);
      block["chart"] = keep(interval_chart(all_, of.findings()));
      put_machines(of.findings(), block);
      list << block;
    }
    return list;
  }

  /// What each machine shows, where several ran a finding's rounds; in view where they show different changes.
  void put_machines(const std::vector<const Finding*>& findings, data& block) {
    std::vector<const Finding*> of_several;
    std::ranges::copy_if(findings, std::back_inserter(of_several),
                         [](const Finding* f) { return f->machines.size() > 1; });
    if (of_several.empty()) return;
    block["machines_chart"] = keep(machines_chart(all_, of_several));
    block["machines_open"] =
        std::ranges::any_of(of_several, [](const Finding* f) { return machines_show_different_changes(*f); });
  }

  /// Where times have changed, of comparisons whose programs were sampled.
  data where() {
    data list(data::type::list);
    for (const auto& of : all_.where) {
      const auto view = where_view(of, all_.design);
      data block;
      auto heading = view.title.substr(0, view.title.find(": "));
      if (!heading.empty() && heading.front() == 'w') heading.front() = 'W';
      block["heading"] = heading;
      block["legend"] = view.title.substr(std::min(view.title.size(), view.title.find(": ") + 2));
      block["baseline"] = view.baseline;
      block["candidate"] = view.candidate;
      const auto* finding = judge::time_finding(all_, of.comparison);
      if (const auto why =
              finding == nullptr ? std::string() : contradiction_text(of, *finding, all_.metric_of(*finding));
          !why.empty()) {
        block["contradiction"] = why;
        list << block;
        continue;
      }
      block["is_clear"] = true;
      data rows(data::type::list), sentences(data::type::list), functions(data::type::list);
      for (const auto& row : view.rows) {
        data one;
        one["name"] = row.name;
        one["before"] = row.baseline;
        one["now"] = row.candidate;
        one["change"] = row.change;
        one["interval"] = row.interval;
        one["of_all"] = row.of_all;
        one["word"] = row.word;
        one["tone"] = row.word.starts_with('!') ? "worse" : row.word.starts_with('+') ? "better" : "";
        rows << one;
      }
      for (const auto& text : view.sentences) sentences << data("text", text);
      for (const auto& function : where_details(of)) {
        data one;
        const char* const keys[] = {"name", "file", "before", "now", "change", "interval", "word", "code"};
        for (std::size_t i = 0; i < function.size(); ++i) one[keys[i]] = function[i];
        functions << one;
      }
      block["rows"] = data(rows);
      block["sentences"] = data(sentences);
      block["functions"] = data(functions);
      block["chart"] = keep(where_chart(view, of.whole.baseline * view.factor));
      list << block;
    }
    return list;
  }

  data entry(const Row& of) {
    const auto or_dash = [](const std::string& text) { return text.empty() ? std::string("–") : text; };
    data row;
    row["candidate"] = of.candidate;
    row["setting"] = of.setting;
    row["search"] = of.candidate + " " + all_.workload(all_.design.cells[of.cell]).name + " " + of.setting +
                    " " + of.verdict;
    row["baseline"] = of.finding == nullptr ? or_dash("") : of.baseline + " " + of.baseline_typical;
    row["typical"] = or_dash(of.typical);
    row["change"] = or_dash(of.change);
    row["interval"] = or_dash(of.interval);
    row["verdict"] = of.verdict;
    row["tone"] = of.finding == nullptr ? of.verdict : to_string(of.finding->verdict);
    row["sign"] = of.sign;
    if (!of.machines.empty()) row["machines"] = of.machines;
    if (!of.runs.empty()) row["runs"] = of.runs;
    if (!of.rest.empty()) row["rest"] = of.rest;
    if (!of.within.empty()) row["within"] = "within a trial: " + of.within;
    if (!of.limit.empty()) row["limit"] = of.limit;
    if (!of.rounds_needed.empty()) row["to_decide"] = of.rounds_needed;
    if (!of.related.empty()) row["moved"] = "moved too: " + of.related;
    if (of.finding == nullptr || all_.metric_of(*of.finding).exact) return row;  // no trials, or all alike
    const auto detail = "d" + std::to_string(details_.size());
    details_[detail] = trial_charts_.in_rows(
        {of.finding->comparison.baseline, of.finding->comparison.candidate}, of.finding->metric);
    row["detail"] = detail;
    return row;
  }

  ChartJson draw(const GrowthChart& chart) { return growth_chart(all_, chart.trends); }
  ChartJson draw(const TimelineChart& chart) {
    return timeline_chart(all_, evidence_, chart.metric, chart.cells);
  }
  ChartJson draw(const TypicalChart& chart) {
    return typical_chart(all_, evidence_, chart.metric, chart.cells);
  }
  ChartJson draw(const TrialsChart& chart) {
    return chart.over_rounds ? trial_charts_.over_rounds(chart.cells, chart.metric)
                             : trial_charts_.in_rows(chart.cells, chart.metric);
  }

  ChartJson draw(const DecileChart& chart) { return decile_chart(all_, chart.metric, chart.workload); }
  ChartJson draw(const LatencyChart& chart) { return latency_chart(all_, record_, chart.cells); }
  ChartJson draw(const SweepChart& chart) {
    return sweep_chart(all_, evidence_, chart.metric, chart.factor, chart.cells);
  }

  data more_charts(bool folded) {
    data list(data::type::list);
    for (const auto& chart : report_.charts) {
      if (chart.folded != folded) continue;
      data entry;
      entry["heading"] = chart.heading;
      entry["legend"] = chart.legend;
      entry["chart"] = keep(std::visit([&](const auto& of) { return draw(of); }, chart.of));
      list << entry;
    }
    return list;
  }

  const Findings& all_;
  const Record& record_;
  Report report_;
  Observations evidence_;
  TrialCharts trial_charts_;
  ChartJson charts_ = ChartJson::object(), details_ = ChartJson::object();
};

}  // namespace

std::string to_page(const Findings& findings, const Record& record) {
  const auto all = redacted(findings);
  return Page(all, record).write();
}

}  // namespace assay::render
