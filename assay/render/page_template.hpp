#pragma once

#include <string>

#include "assay/render/charts.hpp"

namespace assay::render {

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
