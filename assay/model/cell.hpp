#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <vector>

#include "assay/model/ids.hpp"
#include "assay/model/setting.hpp"

namespace assay::model {

/// Where a candidate's program came from, as far as it is known.
struct Provenance {
  std::string exe;         ///< path as the plan or command line gave it
  std::string exe_digest;  ///< hash of the program's bytes; empty when it could not be read
  std::string identity, commit, compiler, flags;
  std::optional<std::int64_t> commit_time;  ///< seconds since 1970

  bool operator==(const Provenance&) const = default;
};

/// A build, commit, implementation or configuration being compared.
struct Candidate {
  std::string name;
  std::optional<CandidateId> baseline;  ///< the baseline it is compared with; empty for a baseline
  std::optional<CandidateId> twin_of;   ///< a second copy of that baseline
  std::vector<std::string>
      distinguishing_arguments;  ///< what it alone is told: its own arguments, `name=value` of its `with`
  Provenance from;

  bool operator==(const Candidate&) const = default;
};

/// What is measured: candidate × workload × setting.
struct Cell {
  CandidateId candidate;
  WorkloadId workload;
  Setting setting;

  bool operator==(const Cell&) const = default;
};

/// Which cell is compared with which.
struct Comparison {
  CellId baseline, candidate;
  auto operator<=>(const Comparison&) const = default;
};

/// Whether a cell takes part: `wrong` answers wrongly, `failed` does not run, `absent` does not support this.
enum class StatusCode { ok, wrong, failed, unsupported };

/// How a cell stands, with the reason when it is not sound.
struct CellStatus {
  StatusCode code = StatusCode::ok;
  std::string detail;

  bool is_ok() const { return code == StatusCode::ok; }
  bool operator==(const CellStatus&) const = default;
};

}  // namespace assay::model
