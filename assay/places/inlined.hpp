#pragma once

#include <cstdint>
#include <map>
#include <memory>
#include <string>
#include <vector>

namespace assay::places {

/// Functions that compilers have put inside of others, by the debug information (DWARF) that a file itself has.
///
/// One thread at a time. Cost of at(): for the first address in a unit of the source, a walk over all of that unit: some
/// tenths of a second where it includes many templates.
class InlinedFunctions {
 public:
  /// Knows nothing of a file without debug information.
  explicit InlinedFunctions(const std::string& path);
  ~InlinedFunctions();
  InlinedFunctions(const InlinedFunctions&) = delete;
  InlinedFunctions& operator=(const InlinedFunctions&) = delete;

  bool any() const;  ///< whether there is debug information

  /// The functions that are at an address, by their source names, the innermost first, the one that holds the others
  /// last; empty where that is not known.
  const std::vector<std::string>& at(std::uint64_t address);

 private:
  struct Debug;
  /// Code of a function, or of one inside of another.
  struct Stretch {
    std::uint64_t begin, end;
    int parent;  ///< by its place; −1: none
    std::string name;
  };
  const std::vector<Stretch>& unit_at(std::uint64_t address);

  std::unique_ptr<Debug> debug_;
  std::map<std::uint64_t, std::vector<Stretch>> units_;  ///< by offset, those that were walked
  std::map<std::uint64_t, std::vector<std::string>> known_;
};

}  // namespace assay::places
