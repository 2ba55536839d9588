#pragma once

/// Shows findings: as text, JSON, Markdown, or a page with charts.

#include "assay/model/printable.hpp"
#include "assay/render/details.hpp"
#include "assay/render/json.hpp"
#include "assay/render/markdown.hpp"
#include "assay/render/page.hpp"
#include "assay/render/text.hpp"
#include "assay/report/units.hpp"

namespace assay {

using model::Findings;
using model::Record;

using render::details;
using render::TextStyle;
using render::to_json;
using render::to_markdown;
using render::to_page;
using render::to_text;
using report::duration;

}  // namespace assay
