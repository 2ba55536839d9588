#pragma once

#include <array>
#include <cstdint>
#include <map>
#include <memory>
#include <optional>
#include <string>
#include <utility>
#include <vector>

#include "assay/measure/sampling.hpp"

namespace assay::places {

/// How the registers of a function's caller are found at an address of the function, from .eh_frame: DWARF 5, section
/// 6.4. Each is saved so many bytes from the canonical frame address, which is a register's value and a distance.
struct FrameRule {
  std::size_t frame_register = 0;
  std::int64_t frame_distance = 0;
  std::array<std::optional<std::int64_t>, 17> saved;  ///< none: unchanged; the last one is the return address
};

/// Finds the callers of libraries' code by the call frame information that every program and library carries for
/// exceptions. A file is read once, by what it is when it is first asked for. One thread at a time.
///
/// Cost: a fraction of a microsecond for each call that was seen before, some 10 µs for a new one.
class StackCallers : public measure::CallerFinder {
 public:
  StackCallers();
  ~StackCallers() override;

  std::vector<measure::CodePlace> callers(const measure::StackCopy& copy, const PlaceOf& place_of) override;

 private:
  class Frames;
  /// Empty where the file has no usable rule there.
  const std::optional<FrameRule>& rule_at(const measure::CodePlace& place);

  std::map<std::pair<std::string, std::string>, std::unique_ptr<Frames>> files_;  ///< by path and build id
};

}  // namespace assay::places
