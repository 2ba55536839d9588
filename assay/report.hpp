#pragma once

/// Shows findings: as text, JSON, Markdown, or a page with charts.

#include "assay/model/text.hpp"
#include "assay/render/documents.hpp"
#include "assay/report/format.hpp"

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
