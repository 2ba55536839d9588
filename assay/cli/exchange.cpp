#include <CLI/CLI.hpp>
#include <charconv>
#include <fstream>
#include <iostream>
#include <iterator>
#include <memory>

#include "assay/cli/command.hpp"
#include "assay/cli/find_campaign.hpp"
#include "assay/cli/run_comparison.hpp"
#include "assay/error.hpp"
#include "assay/judge.hpp"
#include "assay/plan.hpp"
#include "assay/samples.hpp"

namespace assay::cli {
namespace {

constexpr const char* export_examples = R"(  assay export > trials.csv            judged values, a row each
  assay export --as json > all.json    all that judging starts from; assay import takes it back)";

constexpr const char* import_examples = R"(  assay import samples.csv --baseline old
  assay import sizes.csv --factor locks --margin 2%
  assay import hours.csv --difference --margin 0.5       differences, in the metric's own unit
  assay import all.json                                  what assay export --as json wrote

Columns: candidate,workload,metric,value and, as far as there are, round,repeat,unit,prefer; others with --factor.
Rows with a round are paired by it. An apostrophe before = + - @ or another one, which keeps spreadsheets from reading
a formula, is taken off again.)";

struct ExportOptions {
  std::string campaign = "last", ledger, as = "csv";
};

int export_trials(const ExportOptions& asked) {
  auto found = find_campaign(asked.campaign, asked.ledger);
  const auto record = found.ledger.read(found.campaign.id);
  const Unguarded as_it_is;
  if (asked.as == "csv")
    import_export::write_csv(record, std::cout);
  else
    std::cout << import_export::record_to_json(record);
  std::cout.flush();
  if (!std::cout) throw Error("not all of it could be written", "standard output", "look at the disk");
  return app::exit_done;
}

struct ImportCommandOptions {
  std::string file, margin, ledger;
  import_export::ImportOptions samples;
  bool json = false;
};

/// `2%` is relative; a bare number is in the metric's unit.
void read_margin(const std::string& text, import_export::ImportOptions& into) {
  double number = 0;
  const auto* const end = text.data() + text.size();
  if (std::from_chars(text.data(), end, number).ptr == end && number > 0) {
    into.absolute_margin = number;
    return;
  }
  try {
    into.margin = parse_percent(text);
  } catch (const Error& error) {
    throw Error(error.problem(), "--margin",
                error.remedy() + "; a bare number is a difference in the metric's unit");
  }
}

int import_samples(ImportCommandOptions asked) {
  if (!asked.margin.empty()) read_margin(asked.margin, asked.samples);
  if (asked.samples.title.empty()) asked.samples.title = asked.file;
  const auto record = read_samples(asked.file, asked.samples);
  ledger::Ledger ledger(ledger_asked(asked.ledger, state_ledger));
  ledger.add_whole(record);
  const auto results = compare_samples(record);
  app::print_results(results.findings(), asked.json);
  return status_of(results.findings(), {});
}

}  // namespace

void add_export(CLI::App& app, Action& action) {
  auto* command = app.add_subcommand("export", "a campaign's trials, as CSV or JSON");
  auto asked = std::make_shared<ExportOptions>();
  app::add_campaign(*command, asked->campaign, asked->ledger);
  command->add_option("--as", asked->as, "csv (default) or json")->check(CLI::IsMember({"csv", "json"}));
  command->footer(export_examples);
  command->callback([asked, &action] { action = [asked] { return export_trials(*asked); }; });
}

void add_import(CLI::App& app, Action& action) {
  auto* command = app.add_subcommand("import", "samples measured elsewhere, judged like one's own");
  auto asked = std::make_shared<ImportCommandOptions>();
  command->add_option("FILE", asked->file, "CSV, or JSON when its name ends so")->required();
  command->add_option("--factor", asked->samples.factors, "a column that is a factor; may be repeated")
      ->take_all()
      ->expected(1);
  command->add_option("--baseline", asked->samples.baseline, "the candidate to hold the others against");
  app::add_margin(*command, asked->margin, " (default 1%), or 0.5 in the metric's unit");
  command->add_flag("--difference", asked->samples.difference, "compare by differences rather than ratios");
  command->add_option("--title", asked->samples.title, "what to call it (default: the file)");
  app::add_ledger(*command, asked->ledger);
  app::add_json(*command, asked->json);
  command->footer(import_examples);
  command->callback([asked, &action] { action = [asked] { return import_samples(*asked); }; });
}

}  // namespace assay::cli
