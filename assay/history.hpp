#pragma once

/// Follows a project over its commits: did anything get worse, when, and which commit did it.
///
///   const auto history = assay::trend(plan, {.reference = "v1.0"}, {.ledger = "ledger.db"});
///   const auto found = assay::locate(plan, {.good = "v1.2", .bad = "HEAD"}, {.ledger = "ledger.db"});
///   std::cout << assay::to_text(found);

#include "assay/history/trend.hpp"
#include "assay/render/documents.hpp"
#include "assay/report/history_text.hpp"

namespace assay {

using model::CommitSearchResult;
using model::History;

using history::evaluate_gate;
using history::locate;
using history::LocateOptions;
using history::outline_search;
using history::reduce_history;
using history::SearchOutline;
using history::trend;
using history::TrendOptions;
using render::to_json;
using render::to_page;
using render::to_text;

}  // namespace assay
