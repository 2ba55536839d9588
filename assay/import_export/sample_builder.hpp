#pragma once

#include <cstdint>
#include <string>
#include <string_view>
#include <unordered_map>
#include <unordered_set>
#include <vector>

#include "assay/import_export/import_export.hpp"
#include "assay/model/log.hpp"

namespace assay::import_export {

/// Puts samples together to a campaign, one after the other. Included by this module's own sources only.
class SampleBuilder {
 public:
  /// `name`: what errors call the source.
  SampleBuilder(const ImportOptions& asked, std::string name);

  /// The columns of the samples that follow. Throws Error for columns that are not known, or missing.
  void set_columns(const std::vector<std::string>& names, const std::string& place);

  /// A sample: a text for each column. `place` says where it stands.
  void add(const std::vector<std::string>& fields, std::size_t line);

  /// The campaign, when all samples are in.
  Record finish();

 private:
  enum class Column { candidate, workload, metric, value, round, repeat, unit, prefer, factor };

  /// Where a value stands: what one trial is of.
  struct Slot {
    CellId cell;
    std::optional<int> round;
    int repeat = 0;
    bool operator==(const Slot&) const = default;
  };
  struct Hash {
    std::size_t operator()(const Slot& slot) const;
  };

  [[noreturn]] void refuse(std::size_t line, std::size_t column, const std::string& problem,
                           const std::string& remedy) const;
  std::size_t column_of(Column wanted) const;
  std::string_view field(const std::vector<std::string>& fields, Column wanted) const;
  CellId cell_of(const std::vector<std::string>& fields, std::size_t line);
  MetricId metric_of(const std::vector<std::string>& fields, std::size_t line);
  std::optional<int> whole_number(const std::vector<std::string>& fields, Column column,
                                  std::size_t line) const;
  void put(const Slot& slot, MetricId metric, double value, std::size_t line);
  void choose_baseline();

  const ImportOptions& asked_;
  std::string name_;
  std::vector<std::string> names_;
  std::vector<Column> columns_;
  Record record_;
  std::unordered_map<std::string, CellId> cells_;  ///< by the fields that name one
  std::unordered_map<Slot, std::size_t, Hash> trials_;
  std::unordered_set<int> rounds_;
  std::string key_;  ///< of the cell before
  CellId last_cell_;
  MetricId last_metric_;
};

}  // namespace assay::import_export
