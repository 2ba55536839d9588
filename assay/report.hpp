#pragma once

/// Shows findings: as text, JSON, Markdown, or a page with charts.

#include "assay/render/json.hpp"
#include "assay/render/markdown.hpp"
#include "assay/render/page.hpp"
#include "assay/render/text.hpp"

namespace assay {

using render::TextStyle;
using render::to_json;
using render::to_markdown;
using render::to_page;
using render::to_text;

}  // namespace assay
