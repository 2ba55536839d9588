#pragma once

#include <cstdint>
#include <string>
#include <string_view>

#include "assay/check/output.hpp"
#include "assay/measure/file_io.hpp"

namespace assay::runners {

/// An answer that was checked, kept until others are compared with it: a long one in a file without a name,
/// so that memory does not grow with the cells of a campaign.
class StoredOutput {
 public:
  /// Longer ones go to disk.
  static constexpr std::size_t most_in_memory = 4096;

  /// Throws Error(measuring) when there is no room for it in the folder of temporary files.
  explicit StoredOutput(const check::Output& answer);

  const std::string& digest() const { return digest_; }
  std::uint64_t size() const { return size_; }

  /// What is kept of it: its beginning, when it was too long.
  std::string text() const;
  /// The answer, whose text is `text`.
  check::Output as_output(std::string_view text) const;

 private:
  std::string digest_, short_text_;
  std::uint64_t size_;
  std::size_t kept_;
  bool whole_;
  measure::Descriptor file_;
};

}  // namespace assay::runners
