#pragma once

#include <ostream>

#include "assay/model/log.hpp"

namespace assay::exchange {

/// Writes a campaign's judged values, a row each:
/// `candidate,workload,FACTORS…,metric,value,round,unit,prefer` (RFC 4180), metric by metric. Without twins
/// and what is told of the machine. Numbers read back as they are.
void write_csv(const Record& record, std::ostream& out);

}  // namespace assay::exchange
