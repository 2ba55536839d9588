#include "assay/render/page.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <kainjow/mustache.hpp>
#include <map>
#include <set>
#include <sstream>

#include "assay/model/names.hpp"
#include "assay/render/charts.hpp"
#include "assay/render/page_parts.hpp"
#include "assay/render/table.hpp"
#include "assay/render/trial_charts.hpp"
#include "assay/report/evidence.hpp"
#include "assay/report/lines.hpp"
#include "assay/report/names.hpp"
#include "assay/report/notes.hpp"
#include "assay/report/sentences.hpp"
#include "assay/report/together.hpp"
#include "assay/report/units.hpp"

extern "C" {
extern const char assay_page_template[], assay_page_style[], assay_page_script[], assay_page_libraries[],
    assay_page_end[];
}

namespace assay::inline v1::render {

using namespace report;  // its words
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

data list_of_lines(const std::vector<std::string>& lines) {
  data list(data::type::list);
  for (const auto& line : lines) {
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
    page["title"] = all_.design.title.empty() ? std::string("Findings") : all_.design.title;
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
    std::vector<std::string> together;
    for (const auto& lines : {confirmation_lines(all_), together_lines(all_, all_.findings.size()),
                              trend_lines(all_), requirement_lines(all_), twin_lines(all_)})
      together.insert(together.end(), lines.begin(), lines.end());
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
    for (const auto w : all_.design.workloads.ids())
      for (const auto m : all_.design.metrics.ids()) {
        if (!all_.design.metrics[m].demand.watched) continue;
        std::vector<const Finding*> here;
        for (const auto& f : all_.findings)
          if (f.metric == m && all_.candidate_of(f).workload == w && !all_.design.is_twin(f.of.candidate))
            here.push_back(&f);
        if (here.empty()) continue;
        const auto& metric = all_.design.metrics[m];
        const auto& name = all_.design.workloads[w].name;
        data block;
        block["heading"] = (all_.design.workloads.size() > 1 ? name + ": " : "") + metric.name;
        block["legend"] =
            fmt::format("{} is better; {}", metric.prefer == Prefer::higher ? "higher" : "lower",
                        metric.exact ? "compared exactly"
                        : here.front()->effect.is_ratio()
                            ? fmt::format("a change matters from {:.3g} % on", here.front()->margin * 100)
                            : "differences");
        data rows(data::type::list);
        for (const auto* f : here) rows << row(*f, metric);
        for (const auto cell : all_.design.cells.ids())
          if (all_.design.cells[cell].workload == w && !all_.states[cell].is_sound() &&
              !all_.design.is_twin(cell))
            rows << missing(cell);
        block["rows"] = data(rows);
        block["chart"] = keep(interval_chart(all_, here));
        list << block;
      }
    return list;
  }

  data row(const Finding& f, const Metric& metric) {
    const auto& cell = all_.candidate_of(f);
    data row;
    row["candidate"] = all_.candidate(cell).name;
    row["setting"] = cell.setting.text();
    row["search"] = all_.candidate(cell).name + " " + all_.workload(cell).name + " " + cell.setting.text() +
                    " " + to_string(f.verdict);
    row["baseline"] =
        all_.candidate(all_.baseline_of(f)).name + " " + cell_value_text(f.baseline_typical, metric.unit);
    row["typical"] = cell_value_text(f.candidate_typical, metric.unit);
    row["change"] = effect_text(f.effect, metric.unit);
    row["interval"] = range_text(f.interval, metric.scale, metric.unit);
    row["verdict"] = to_string(f.verdict);
    row["sign"] = sign_of(f.verdict);
    if (const auto settle = settle_text(all_, f); !settle.empty()) row["settle"] = settle;
    if (const auto moved = takes_evidence(all_, f) ? evidence_text(all_, f) : ""; !moved.empty())
      row["moved"] = "moved too: " + moved;
    if (metric.exact) return row;  // all its trials are alike
    const auto detail = "d" + std::to_string(details_.size());
    details_[detail] = trial_charts_.in_rows({f.of.baseline, f.of.candidate}, f.metric);
    row["detail"] = detail;
    return row;
  }

  data missing(CellId id) const {
    const auto& cell = all_.design.cells[id];
    const auto standing = to_string(all_.states[id].standing);
    data row;
    row["candidate"] = all_.candidate(cell).name;
    row["setting"] = cell.setting.text();
    row["search"] = all_.candidate(cell).name + " " + all_.workload(cell).name + " " + cell.setting.text() +
                    " " + standing;
    for (const char* empty : {"baseline", "change", "interval"}) row[empty] = std::string("–");
    row["typical"] = std::string("–");
    row["verdict"] = standing;
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
    for (const auto metric : all_.design.metrics.ids()) {
      if (!all_.design.metrics[metric].demand.watched) continue;
      growth(metric, add);
      for (const auto w : all_.design.workloads.ids()) {
        std::set<CellId> cells;
        for (const auto& f : all_.findings)
          if (f.metric == metric && all_.candidate_of(f).workload == w)
            cells.insert({f.of.baseline, f.of.candidate});
        constexpr std::size_t most_cells = 40;  // lines and rows that can be told apart
        if (cells.empty() || cells.size() > most_cells || all_.design.metrics[metric].exact) continue;
        const std::vector<CellId> order(cells.begin(), cells.end());
        const auto where = all_.design.workloads.size() > 1 ? " on " + all_.design.workloads[w].name : "";
        add("Trials" + where + ": " + all_.design.metrics[metric].name,
            "each dot is a trial; of many trials, the middle half and nine tenths",
            trial_charts_.in_rows(order, metric));
        if (std::ranges::any_of(record_.log.rounds, [](const auto& r) { return r.number > 0; }))
          add("Over the rounds" + where + ": " + all_.design.metrics[metric].name,
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
      groups[(trend.exponent ? "Growth: " : "Scaling: ") + all_.design.metrics[metric].name + ", " +
             all_.design.workloads[trend.workload].name + (others.empty() ? "" : ", " + others) + " over " +
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

}  // namespace assay::inline v1::render
