#include "assay/render/page.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <kainjow/mustache.hpp>
#include <map>
#include <set>
#include <sstream>

#include "assay/render/charts.hpp"
#include "assay/render/evidence.hpp"
#include "assay/render/more.hpp"
#include "assay/render/page_parts.hpp"
#include "assay/render/prose.hpp"
#include "assay/render/table.hpp"
#include "assay/render/trial_charts.hpp"
#include "assay/render/units.hpp"

extern "C" {
extern const char assay_page_template[], assay_page_style[], assay_page_script[], assay_page_libraries[],
    assay_page_end[];
}

namespace assay::render {
namespace {

using kainjow::mustache::data;
using kainjow::mustache::mustache;

std::string part(const char* from, const char* to) { return {from, to}; }

/// JSON that may stand in a script element: no "<" is left in it.
std::string in_script(const ChartJson& json) {
  const auto text = json.dump(-1, ' ', false, ChartJson::error_handler_t::replace);
  std::string safe;
  safe.reserve(text.size());
  for (const char c : text) {
    if (c == '<')
      safe += "\\u003c";
    else
      safe += c;
  }
  return safe;
}

data list_of_lines(const std::string& lines) {
  data list(data::type::list);
  std::istringstream in(lines);
  for (std::string line; std::getline(in, line);) {
    data entry;
    entry["text"] = line;
    list << entry;
  }
  return list;
}

class Page {
 public:
  Page(const Findings& all, const Record& record)
      : all_(all), record_(record), values_(record), trial_charts_(all, values_) {}

  std::string write() {
    data page;
    page["title"] = all_.campaign.title.empty() ? std::string("Findings") : all_.campaign.title;
    page["style"] = part(assay_page_style, assay_page_script);
    page["script"] = part(assay_page_script, assay_page_libraries);
    page["libraries"] = part(assay_page_libraries, assay_page_end);
    page["provisional"] = all_.provisional;
    if (const auto careful = bad_twin_text(all_); !careful.empty())
      page["careful"] = "Careful: " + careful + ".";
    put_sentences(all_, page);
    put_overviews(all_, page);
    page["blocks"] = blocks();
    page["charts"] = more_charts();
    const auto together = confirmation_lines(all_) + together_lines(all_, all_.findings.size()) +
                          trend_lines(all_) + requirement_lines(all_) + twin_lines(all_);
    page["together"] = list_of_lines(together);
    page["has_together"] = !together.empty();
    put_standings(all_, page);
    put_notes(all_, page);
    put_provenance(all_, record_, page);
    page["data"] = in_script({{"charts", charts_},
                              {"details", details_},
                              {"forms", trial_charts_.forms()},
                              {"values", trial_charts_.values()}});
    mustache form(part(assay_page_template, assay_page_style));
    return form.render(page);
  }

 private:
  std::string keep(ChartJson chart) {
    auto name = "c" + std::to_string(charts_.size());
    charts_[name] = std::move(chart);
    return name;
  }

  data blocks() {
    data list(data::type::list);
    for (std::size_t w = 0; w < all_.workloads.size(); ++w)
      for (std::size_t m = 0; m < all_.metrics.size(); ++m) {
        if (!all_.demands[m].watched) continue;
        std::vector<const Finding*> here;
        for (const auto& f : all_.findings)
          if (f.metric.place() == m && all_.candidate_of(f).workload.place() == w &&
              !all_.candidate(all_.candidate_of(f)).twin_of)
            here.push_back(&f);
        if (here.empty()) continue;
        const auto& metric = all_.metrics[m];
        const auto& name = all_.workloads[w].name;
        data block;
        block["heading"] = (all_.workloads.size() > 1 ? name + ": " : "") + metric.name;
        block["legend"] =
            fmt::format("{} is better; {}", metric.prefer == Prefer::higher ? "higher" : "lower",
                        metric.exact ? "compared exactly"
                        : metric.scale == Scale::ratio
                            ? fmt::format("a change matters from {:.3g} % on", here.front()->margin * 100)
                            : "differences");
        data rows(data::type::list);
        for (const auto* f : here) rows << row(*f, metric);
        for (const auto& cell : all_.cells)
          if (cell.workload.place() == w && cell.standing != Standing::sound && !all_.candidate(cell).twin_of)
            rows << missing(cell);
        block["rows"] = data(rows);
        block["chart"] = keep(interval_chart(all_, here));
        list << block;
      }
    return list;
  }

  data row(const Finding& f, const Metric& metric) {
    const bool ratio = metric.scale == Scale::ratio;
    const auto& cell = all_.candidate_of(f);
    data row;
    row["candidate"] = all_.candidate(cell).name;
    row["setting"] = cell.setting.text();
    row["search"] = all_.candidate(cell).name + " " + all_.workload(cell).name + " " + cell.setting.text() +
                    " " + to_string(f.verdict);
    row["baseline"] =
        all_.candidate(all_.baseline_of(f)).name + " " + cell_value_text(f.baseline_typical, metric.unit);
    row["typical"] = cell_value_text(f.candidate_typical, metric.unit);
    row["change"] = effect_text(f.effect, ratio, metric.unit);
    row["interval"] = range_text(f.interval.low, f.interval.high, ratio, metric.unit);
    row["verdict"] = to_string(f.verdict);
    row["sign"] = verdict_text(f.verdict, {}).substr(0, 1);
    if (const auto settle = settle_text(all_, f); !settle.empty()) row["settle"] = settle;
    if (const auto moved = takes_evidence(all_, f) ? evidence_text(all_, f) : ""; !moved.empty())
      row["moved"] = "moved too: " + moved;
    if (metric.exact) return row;  // all its trials are alike
    const auto detail = "d" + std::to_string(details_.size());
    details_[detail] = trial_charts_.in_rows({f.of.baseline, f.of.candidate}, f.metric);
    row["detail"] = detail;
    return row;
  }

  data missing(const Cell& cell) const {
    data row;
    row["candidate"] = all_.candidate(cell).name;
    row["setting"] = cell.setting.text();
    row["search"] = all_.candidate(cell).name + " " + all_.workload(cell).name + " " + cell.setting.text() +
                    " " + to_string(cell.standing);
    for (const char* empty : {"baseline", "change", "interval"}) row[empty] = std::string("–");
    row["typical"] = std::string("–");
    row["verdict"] = to_string(cell.standing);
    row["sign"] = std::string{};
    return row;
  }

  data more_charts() {
    data list(data::type::list);
    const auto add = [&](const std::string& heading, const std::string& legend, ChartJson chart) {
      data entry;
      entry["heading"] = heading;
      entry["legend"] = legend;
      entry["chart"] = keep(std::move(chart));
      list << entry;
    };
    for (std::size_t m = 0; m < all_.metrics.size(); ++m) {
      if (!all_.demands[m].watched) continue;
      const MetricId metric{static_cast<std::int64_t>(m)};
      growth(metric, add);
      for (std::size_t w = 0; w < all_.workloads.size(); ++w) {
        std::set<CellId> cells;
        for (const auto& f : all_.findings)
          if (f.metric == metric && all_.candidate_of(f).workload.place() == w)
            cells.insert({f.of.baseline, f.of.candidate});
        constexpr std::size_t most_cells = 40;  // lines and rows that can be told apart
        if (cells.empty() || cells.size() > most_cells || all_.metrics[m].exact) continue;
        const std::vector<CellId> order(cells.begin(), cells.end());
        const auto where = all_.workloads.size() > 1 ? " on " + all_.workloads[w].name : "";
        add("Trials" + where + ": " + all_.metrics[m].name,
            "each dot is a trial; of many trials, the middle half and nine tenths",
            trial_charts_.in_rows(order, metric));
        if (std::ranges::any_of(record_.rounds, [](const auto& r) { return r.number > 0; }))
          add("Over the rounds" + where + ": " + all_.metrics[m].name,
              "each trial as a share of its cell's typical value", trial_charts_.over_rounds(order, metric));
      }
    }
    return list;
  }

  template <class Add>
  void growth(MetricId metric, Add&& add) const {
    std::map<std::string, std::vector<const Trend*>> groups;
    for (const auto& trend : all_.trends) {
      if (trend.metric != metric) continue;
      const auto others = trend.others.text();
      groups[(trend.exponent ? "Growth: " : "Scaling: ") + all_.metrics[metric.place()].name + ", " +
             all_.workloads[trend.workload.place()].name + (others.empty() ? "" : ", " + others) + " over " +
             trend.factor]
          .push_back(&trend);
    }
    for (const auto& [where, trends] : groups)
      add(where,
          trends.front()->throughput.empty() ? "typical values; both axes are logarithmic"
                                             : "what is done in the same time",
          growth_chart(all_, trends));
  }

  const Findings& all_;
  const Record& record_;
  TrialValues values_;
  TrialCharts trial_charts_;
  ChartJson charts_ = ChartJson::object(), details_ = ChartJson::object();
};

}  // namespace

std::string to_page(const Findings& findings, const Record& record) { return Page(findings, record).write(); }

}  // namespace assay::render
