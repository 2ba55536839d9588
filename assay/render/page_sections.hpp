#pragma once

#include <kainjow/mustache.hpp>
#include <string>

#include "assay/render/charts.hpp"
#include "assay/report/report.hpp"

namespace assay::render {

// What a page tells in words and tables beside its findings. Each puts its part of page/page.html into
// `page`. Included by this module's own sources only.

/// The sentences, those that matter first.
void put_sentences(const report::Report& report, kainjow::mustache::data& page);

/// Tables of every change, where there are enough of them to need a view of the whole.
void put_views(const report::Report& report, kainjow::mustache::data& page);

/// All metrics of each place, folded where there are several places.
void put_profiles(const report::Report& report, kainjow::mustache::data& page);

/// What several findings say together.
void put_aggregates(const report::Report& report, kainjow::mustache::data& page);

/// What was left out, and why; the notes on trust.
void put_left_out(const report::Report& report, kainjow::mustache::data& page);
void put_notes(const report::Report& report, kainjow::mustache::data& page);

/// The programs, the machine and how to measure it again.
void put_provenance(const report::Report& report, kainjow::mustache::data& page);

// The parts of a page that all pages share. Included by this module's own sources only.

/// The forms, as page/ has them, for kainjow::mustache.
std::string findings_form();
std::string history_form();

std::string page_style();
std::string page_script();
std::string page_libraries();

/// JSON that may stand in a script element: no "<" is left in it.
std::string in_script(const ChartJson& json);

}  // namespace assay::render
