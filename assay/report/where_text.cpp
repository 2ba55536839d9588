#include "assay/report/where_text.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>

#include "assay/judge/where.hpp"
#include "assay/metrics/catalogue.hpp"
#include "assay/model/enum_names.hpp"
#include "assay/report/code_names.hpp"
#include "assay/report/format.hpp"

namespace assay::report {

namespace {

/// A unit for all times of a block, and the digits after the point.
struct Figures {
  const char* unit;
  double factor;
  int digits;

  explicit Figures(double seconds) : unit("s"), factor(1), digits(3) {
    constexpr double micro = 1e-6, milli = 1e-3, thousand = 1e3, million = 1e6, billion = 1e9;
    if (seconds < micro) {
      unit = "ns";
      factor = billion;
    } else if (seconds < milli) {
      unit = "µs";
      factor = million;
    } else if (seconds < 1) {
      unit = "ms";
      factor = thousand;
    }
    for (double size = seconds * factor; size >= 10 && digits > 1; size /= 10) --digits;
  }
  /// In units of the last digit that is printed.
  double rounded(double seconds) const { return std::round(seconds * factor * std::pow(10.0, digits)); }
  std::string number(double rounded) const {
    return fmt::format("{:.{}f}", rounded / std::pow(10.0, digits), digits);
  }
  std::string value(double rounded) const { return number(rounded) + " " + unit; }
  std::string signed_number(double rounded) const {
    return rounded == 0 ? "0" : (rounded < 0 ? "−" : "+") + number(std::abs(rounded));
  }
  std::string change(double rounded) const { return signed_number(rounded) + " " + unit; }
  std::string interval(const TimePart& part) const {
    if (std::isinf(part.low) || std::isinf(part.high)) return "not known yet";
    return signed_number(rounded(part.low)) + " … " + change(rounded(part.high));
  }
};

std::string word_of(const TimePart& part) {
  if (!part.named) return {};
  return part.change > 0 ? "! more" : "+ less";
}

std::string word_of_rest(const Where& where, double margin) {
  const double within = margin * where.whole.baseline;
  const bool alike = where.rest.low > -within && where.rest.high < within;
  return alike ? "= same" : where.rest.named ? "? spread over several" : "? too little to say";
}

std::vector<std::string> table(const WhereView& view) {
  std::vector<std::vector<std::string>> cells = {
      {"", view.baseline, view.candidate, "change", "interval", "of all", ""}};
  for (const auto& row : view.rows)
    cells.push_back({row.name, row.baseline, row.candidate, row.change, row.interval, row.of_all, row.word});
  std::vector<std::size_t> widths(cells.front().size());
  for (const auto& row : cells)
    for (std::size_t i = 0; i < row.size(); ++i) widths[i] = std::max(widths[i], display_width(row[i]));
  std::vector<std::string> out;
  for (const auto& row : cells) {
    std::string text = "  " + pad_right(row.front(), widths.front());
    for (std::size_t i = 1; i + 1 < row.size(); ++i) text += "  " + pad_left(row[i], widths[i]);
    if (!row.back().empty()) text += "  " + row.back();
    out.push_back(text.substr(0, text.find_last_not_of(' ') + 1));
  }
  return out;
}

std::string title(const Where& where, const Design& design) {
  const auto& candidate = design.candidate_of(where.comparison.candidate).name;
  const auto& baseline = design.candidate_of(where.comparison.baseline).name;
  const auto place = place_label(design, design.cells[where.comparison.candidate]);
  constexpr int thousand = 1000, hundred = 100;
  const int times = static_cast<int>(std::lround(1 / where.period / hundred)) * hundred;
  const auto how =
      fmt::format("{} round{} {}, sampled about {} {:03} times a second", where.rounds,
                  where.rounds == 1 ? "" : "s", way_text(where.way), times / thousand, times % thousand);
  const auto on = place.empty() ? std::string() : " on " + place;
  const auto* each = where.per_request ? " for each request" : where.per_call ? " for each call" : "";
  if (!where.whole.named)
    return fmt::format("where the cpu time of {}{} differs from that of {}{}: {}", candidate, each, baseline,
                       on, how);
  return fmt::format("where {} spends {} cpu time{} than {}{}: {}", candidate,
                     where.whole.change > 0 ? "more" : "less", each, baseline, on, how);
}

/// What to do where nothing could be named.
std::string price(const Where& where, const Figures& scale) {
  const double most =
      where.functions.empty() ? 0 : std::ranges::max(where.functions, {}, &TimePart::baseline).baseline;
  const int more = std::max(3 * static_cast<int>(where.rounds), 2 * judge::fewest_sampled_rounds());
  const double seen = judge::change_seen_after(more, most, where.period);
  return fmt::format(
      "no function can be named after {} rounds: the change is spread, or small; --rounds {} would "
      "tell changes of {} apart",
      where.rounds, more, scale.value(std::max(1.0, scale.rounded(seen))));
}

std::string listed(const std::vector<std::string>& names, std::size_t most) {
  std::string text;
  for (std::size_t i = 0; i < std::min(names.size(), most); ++i) text += (i > 0 ? ", " : "") + names[i];
  if (names.size() > most) text += fmt::format(" and {} more", names.size() - most);
  return text;
}

using ShortNames = std::map<std::string, std::string>;

std::vector<std::string> shorter(std::vector<std::string> names, const ShortNames& short_of) {
  for (auto& name : names) name = short_of.at(name);
  return names;
}

/// Where functions that are shown are in one build alone: what these come to, with what may have them inside.
std::string alone_sentence(const Where& where, const Figures& scale, const ShortNames& short_of) {
  std::vector<std::string> names;
  for (std::size_t i = 0; i < where.shown; ++i)
    if (where.functions[i].code == CodeLikeness::alone) names.push_back(short_of.at(where.functions[i].name));
  if (names.empty()) return {};
  constexpr std::size_t most_listed = 3;
  return fmt::format("one of the two alone has {}: with what calls {}, {} ({})", listed(names, most_listed),
                     names.size() == 1 ? "it" : "them", scale.change(scale.rounded(where.alone.change)),
                     scale.interval(where.alone));
}

/// Where a fifth of a function's change or more is in libraries that it calls: which functions of theirs.
std::string library_sentence(const Where& where, const Figures& scale, const ShortNames& short_of) {
  constexpr double fifth = 0.2;
  constexpr std::size_t most_functions = 3, most_of_one = 2;
  std::vector<std::pair<const TimePart*, std::vector<const LibraryTime*>>> parts;
  for (std::size_t i = 0; i < where.shown && parts.size() < most_functions; ++i) {
    std::vector<const LibraryTime*> large;
    for (const auto& library : where.functions[i].libraries)
      if (library.change() / where.functions[i].change >= fifth) large.push_back(&library);
    if (!large.empty()) parts.emplace_back(&where.functions[i], std::move(large));
  }
  std::string text;
  for (auto& [function, large] : parts) {
    large.resize(std::min(large.size(), parts.size() == 1 ? most_of_one : 1));
    text += fmt::format("{}in {}: ", text.empty() ? "" : "; ", short_of.at(function->name));
    for (const auto* library : large)
      text += fmt::format("{}{} of it in {}", library == large.front() ? "" : ", ",
                          scale.change(scale.rounded(library->change())), short_of.at(library->name));
  }
  if (parts.empty()) return {};
  return text + (parts.size() == 1 ? ", which it calls" : ", which they call");
}

/// Of the functions that are shown, those with the same code in both: what may have changed them.
std::vector<std::string> code_sentences(const Where& where, const Design& design,
                                        const ShortNames& short_of) {
  std::vector<std::string> names;
  bool may_lie_elsewhere = false, any_changed = false;
  std::string where_it_lies;
  for (std::size_t i = 0; i < where.shown; ++i) {
    const auto& function = where.functions[i];
    any_changed = any_changed || function.code == CodeLikeness::other || function.code == CodeLikeness::alone;
    if (function.code != CodeLikeness::same) continue;
    names.push_back(short_of.at(function.name));
    const auto& at = function.within_line;
    may_lie_elsewhere = may_lie_elsewhere || at.has_value();
    if (at && at->first != at->second)
      where_it_lies = fmt::format(" ({} and {} bytes into a line of 64)", at->first, at->second);
  }
  constexpr std::size_t most_listed = 3;
  if (names.empty()) return {};
  const bool one = names.size() == 1;
  const bool is_drawn = layouts_of(design, where.comparison) > 0;  // where code lies is drawn for each round
  std::vector<std::string> out = {
      fmt::format("{}: {} machine code is the same in both; what changed is what {} given{}{}",
                  listed(names, most_listed), one ? "its" : "their", one ? "it is" : "they are",
                  may_lie_elsewhere && !is_drawn ? (one ? ", or where it lies" : ", or where they lie") : "",
                  one && !is_drawn ? where_it_lies : "")};
  if (any_changed) return out;
  if (!where.other_code.empty())
    out.push_back("other code is in " + listed(shorter(where.other_code, short_of), most_listed));
  else if (may_lie_elsewhere && !is_drawn)
    out.push_back(
        "no function has other code: where code lies may be all that changed, which builds from source show "
        "when "
        "each round links them anew (--relink)");
  return out;
}

}  // namespace

std::string contradiction_text(const Where& where, const Finding& before, const Metric& metric) {
  if (!judge::contradicts(where, before)) return {};
  const Interval now{.low = 1 + where.whole.low / where.whole.baseline,
                     .high = 1 + where.whole.high / where.whole.baseline};
  const bool is_wall = metrics::is_kind(metric, metrics::MetricKind::wall_time);
  return fmt::format("no function is named: {} changed by {}, cpu time in {} sampled rounds by {}; {}",
                     metric.name, range_text(before.interval, model::Scale::ratio, ""), where.rounds,
                     range_text(now, model::Scale::ratio, ""),
                     is_wall ? "the change is in waiting, which samples don't show"
                             : "something else has changed since; measure again (assay again)");
}

WhereView where_view(const Where& where, const Design& design) {
  const Figures scale(std::max(where.whole.baseline, where.whole.candidate));
  auto full = where.other_code;
  for (const auto& function : where.functions) {
    full.push_back(function.name);
    for (const auto& library : function.libraries) full.push_back(library.name);
  }
  const auto short_of = short_names(full);
  WhereView view{.title = title(where, design),
                 .baseline = design.candidate_of(where.comparison.baseline).name,
                 .candidate = design.candidate_of(where.comparison.candidate).name,
                 .unit = scale.unit,
                 .factor = scale.factor};
  const auto share = [&](double change) {
    return where.whole.baseline > 0 ? percent_change(change / where.whole.baseline) : std::string();
  };
  const auto row_of = [&](const TimePart& part, const std::string& name, double baseline, double candidate,
                          double change) {
    return WhereRow{.name = name,
                    .baseline = scale.value(baseline),
                    .candidate = scale.value(candidate),
                    .change = scale.change(change),
                    .interval = scale.interval(part),
                    .of_all = share(part.change),
                    .word = word_of(part),
                    .shift = part.change * scale.factor,
                    .low = part.low * scale.factor,
                    .high = part.high * scale.factor};
  };
  double baseline = scale.rounded(where.whole.baseline), candidate = scale.rounded(where.whole.candidate),
         change = scale.rounded(where.whole.change);
  auto whole = row_of(where.whole, "together", baseline, candidate, change);
  whole.word.clear();
  const auto add = [&](const TimePart& part, const std::string& name) {
    const double of[] = {scale.rounded(part.baseline), scale.rounded(part.candidate),
                         scale.rounded(part.change)};
    view.rows.push_back(row_of(part, name, of[0], of[1], of[2]));
    baseline -= of[0];  // what is left over by rounding is in the rest
    candidate -= of[1];
    change -= of[2];
  };
  constexpr std::size_t most_columns = 40;
  for (std::size_t i = 0; i < where.shown; ++i) {
    const auto& name = short_of.at(where.functions[i].name);
    add(where.functions[i], display_width(name) > most_columns ? pad_right(name, most_columns) : name);
  }
  if (where.unsampled.named) add(where.unsampled, "in the kernel, and not sampled");
  const auto others = where.all_functions - where.shown;
  view.rows.push_back(row_of(where.rest,
                             fmt::format("all else, {} function{}", others, others == 1 ? "" : "s"), baseline,
                             candidate, change));
  view.rows.back().word = word_of_rest(where, design.rules.margin);
  view.rows.push_back(std::move(whole));

  if (where.shown == 0 && !where.unsampled.named) view.sentences.push_back(price(where, scale));
  if (const auto text = library_sentence(where, scale, short_of); !text.empty())
    view.sentences.push_back(text);
  if (const auto text = alone_sentence(where, scale, short_of); !text.empty()) view.sentences.push_back(text);
  for (auto& sentence : code_sentences(where, design, short_of))
    view.sentences.push_back(std::move(sentence));
  constexpr double mostly = 0.9;
  if (where.sampled_share < mostly)
    view.sentences.push_back(fmt::format(
        "samples stand for {} of the cpu time: the rest is in the kernel, or in processes too short to be "
        "sampled{}",
        percent(where.sampled_share),
        where.unsampled.named
            ? "; what is asked of the kernel shows in faults, bytes and switches (assay verdict --profile)"
            : ""));
  return view;
}

std::vector<std::string> where_lines(const Where& where, const Design& design) {
  const auto view = where_view(where, design);
  std::vector<std::string> out = {view.title};
  for (auto& line : table(view)) out.push_back(std::move(line));
  for (const auto& sentence : view.sentences) out.push_back("  " + wrap(sentence, 2));
  return out;
}

std::vector<std::vector<std::string>> where_details(const Where& where) {
  const Figures scale(std::max(where.whole.baseline, where.whole.candidate));
  std::vector<std::string> names;
  for (const auto& function : where.functions) names.push_back(function.name);
  const auto short_of = short_names(names);
  std::vector<std::vector<std::string>> rows;
  const auto add = [&](const TimePart& part, const std::string& name) {
    rows.push_back({name, part.file.substr(part.file.rfind('/') + 1),
                    scale.value(scale.rounded(part.baseline)), scale.value(scale.rounded(part.candidate)),
                    scale.change(scale.rounded(part.change)), scale.interval(part), word_of(part),
                    part.code == CodeLikeness::unknown ? "" : to_string(part.code)});
  };
  for (const auto& function : where.functions) add(function, short_of.at(function.name));
  add(where.small, "all smaller ones");
  add(where.unsampled, "in the kernel, and not sampled");
  add(where.whole, "together");
  return rows;
}

std::vector<std::string> where_block(const Findings& findings) {
  std::vector<std::string> block;
  for (const auto& where : findings.where) {
    const auto* finding = judge::time_finding(findings, where.comparison);
    const auto why = finding == nullptr ? std::string()
                                        : contradiction_text(where, *finding, findings.metric_of(*finding));
    if (!why.empty())
      block.push_back(wrap(why, 0));
    else
      for (auto& line : where_lines(where, findings.design)) block.push_back(std::move(line));
  }
  for (const auto& remark : findings.where_remarks) block.push_back("  " + wrap(remark, 2));
  return block;
}

}  // namespace assay::report
