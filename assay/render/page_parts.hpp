#pragma once

#include <kainjow/mustache.hpp>

#include "assay/model/findings.hpp"

namespace assay::inline v1::render {

// What a page tells in words and tables beside its findings. Each puts its part of page/page.html into
// `page`. Included by this module's own sources only.

/// The sentences, those that matter first.
void put_sentences(const Findings& all, kainjow::mustache::data& page);

/// Tables of every change, where there are enough of them to need a view of the whole.
void put_overviews(const Findings& all, kainjow::mustache::data& page);

/// What was left out, and why; the notes on trust.
void put_standings(const Findings& all, kainjow::mustache::data& page);
void put_notes(const Findings& all, kainjow::mustache::data& page);

/// The programs, the machine and how to measure it again.
void put_provenance(const Findings& all, const Record& record, kainjow::mustache::data& page);

}  // namespace assay::inline v1::render
