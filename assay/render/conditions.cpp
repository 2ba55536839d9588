#include <fmt/format.h>

#include <algorithm>
#include <nlohmann/json.hpp>

#include "assay/render/documents.hpp"
#include "assay/render/text_tables.hpp"
#include "assay/report/format.hpp"

namespace assay::render {

using namespace report;  // its words
namespace {

std::string share_of(const std::optional<double>& share) {
  if (!share) return "–";
  const double per_cent = *share * 100;
  return fmt::format("{:.{}f} %", per_cent, per_cent < 1 ? 2 : per_cent < 10 ? 1 : 0);
}

const NoiseLevel* row_at(const Conditions& all, double seconds) {
  const auto found = std::ranges::find(all.noise, seconds, &NoiseLevel::seconds);
  return found == all.noise.end() ? nullptr : &*found;
}

std::string fact(const Conditions& all, const std::string& name) {
  const auto found = std::ranges::find(all.facts, name, &MachineFact::name);
  return found == all.facts.end() ? "" : found->value;
}

void add_rounds_to_decide(const Conditions& all, std::vector<std::string>& lines) {
  for (const double seconds : {20e-3, 200e-3}) {
    const auto* row = row_at(all, seconds);
    if (row == nullptr || !row->rounds_in_turns) continue;
    auto text = fmt::format("A one-minute duel of programs that run {} tells changes from {} on",
                            value_text(seconds, "s"), share_of(row->rounds_in_turns));
    if (row->rounds_abreast) text += fmt::format(", abreast from {} on", share_of(row->rounds_abreast));
    lines.push_back(text + ".");
  }
}

}  // namespace

std::vector<std::string> advice(const Conditions& all) {
  std::vector<std::string> lines;
  add_rounds_to_decide(all, lines);
  const auto* shorter = row_at(all, 20e-3);
  const auto* longer = row_at(all, 200e-3);
  for (const auto* row : {longer, shorter})
    if (row != nullptr && row->in_turns && row->abreast && *row->abreast < 0.5 * *row->in_turns) {
      lines.push_back(fmt::format(
          "Abreast, as CPU-bound programs are run where it gains, the spread at {} is {:.1f} times smaller.",
          value_text(row->seconds, "s"), *row->in_turns / std::max(*row->abreast, 1e-9)));
      break;
    }
  if (shorter != nullptr && longer != nullptr && shorter->in_turns && longer->in_turns &&
      *longer->in_turns < 0.5 * *shorter->in_turns)
    lines.push_back(
        fmt::format("Longer runs help: at 200 ms the spread is {:.1f} times smaller than at 20 ms.",
                    *shorter->in_turns / *longer->in_turns));
  if (all.steal && *all.steal > 0.05)
    lines.push_back(
        fmt::format("The host takes {} of the CPU time: a quieter host would help.", share_of(all.steal)));
  if (all.other_load && *all.other_load > 0.1)
    lines.push_back(fmt::format("Other programs use {} of the CPU time: ending them would help.",
                                share_of(all.other_load)));
  if (all.on_battery.value_or(false)) lines.emplace_back("It runs on battery: plug it in.");
  if (const auto governor = fact(all, "frequency governor"); !governor.empty() && governor != "performance")
    lines.push_back("The frequency governor is " + governor + ": performance would be steadier.");
  return lines;
}

std::string to_text(const Conditions& all) {
  std::string out = "this machine\n";
  std::size_t widest = 0;
  for (const auto& f : all.facts) widest = std::max(widest, display_width(f.name));
  const auto line = [&](const std::string& name, const std::string& value) {
    out += "  " + pad_right(name, std::max<std::size_t>(widest, 22) + 2) + value + "\n";
  };
  for (const auto& f : all.facts) line(f.name, f.value);
  line("starting a program", value_text(all.launch_cost, "s"));
  line("clock", fmt::format("steps of {}, {} a reading", value_text(all.clock_resolution, "s"),
                            value_text(all.clock_overhead, "s")));
  if (all.load) line("load", number_text(*all.load));
  if (all.steal) line("taken by the host", share_of(all.steal) + " of the CPU time during the probe");
  if (all.other_load) line("used by others", share_of(all.other_load) + " of the CPU time during the probe");
  for (const auto& f : all.unavailable) line("no " + f.name, f.value);
  if (!all.noise.empty()) {
    out += "\nspread of neighbours that do the same work        decided by a one-minute duel\n";
    out += pad_right("", 14) + pad_left("in turns", 12) + pad_left("abreast", 12) + pad_left("in turns", 20) +
           pad_left("abreast", 12) + "\n";
  }
  for (const auto& row : all.noise)
    out += pad_right("  " + value_text(row.seconds, "s"), 10) + pad_right(row.process ? "" : "loop", 4) +
           pad_left(share_of(row.in_turns), 12) + pad_left(share_of(row.abreast), 12) +
           pad_left(share_of(row.rounds_in_turns), 20) + pad_left(share_of(row.rounds_abreast), 12) + "\n";
  out += "\n";
  for (const auto& sentence : advice(all)) out += sentence + "\n";
  return out;
}

std::string to_json(const Conditions& all) {
  using Json = nlohmann::ordered_json;
  const auto perhaps = [](const auto& value) { return value ? Json(*value) : Json(nullptr); };
  Json document = {{"format", 1},
                   {"facts", Json::object()},
                   {"launch_cost", all.launch_cost},
                   {"clock_resolution", all.clock_resolution},
                   {"clock_overhead", all.clock_overhead},
                   {"load", perhaps(all.load)},
                   {"stolen", perhaps(all.steal)},
                   {"others", perhaps(all.other_load)},
                   {"on_battery", perhaps(all.on_battery)},
                   {"steadiness", Json::array()},
                   {"missing", Json::object()},
                   {"advice", advice(all)}};
  for (const auto& f : all.facts) document["facts"][f.name] = f.value;
  for (const auto& f : all.unavailable) document["missing"][f.name] = f.value;
  for (const auto& row : all.noise)
    document["steadiness"].push_back({{"seconds", row.seconds},
                                      {"process", row.process},
                                      {"turns", perhaps(row.in_turns)},
                                      {"abreast", perhaps(row.abreast)},
                                      {"decided_in_turns", perhaps(row.rounds_in_turns)},
                                      {"decided_abreast", perhaps(row.rounds_abreast)}});
  return document.dump(2, ' ', false, Json::error_handler_t::replace) + "\n";
}

}  // namespace assay::render
