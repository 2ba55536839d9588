#pragma once

#include <cstddef>
#include <cstdint>
#include <string>

#include "assay/measure/file_io.hpp"

namespace assay::measure {

/// Takes what a program writes to one of its standard outputs: into memory, never through a pipe, and hashed
/// when the program has ended. A flood is hashed while it comes and its memory given back, so that memory
/// stays bounded and the hash is still of the whole.
class Capture {
 public:
  /// The beginning that is always kept: longer outputs can be compared by digest only.
  static constexpr std::uint64_t kept = 16ULL << 20U;
  /// How much may wait unhashed while the program runs.
  static constexpr std::uint64_t patience = 64ULL << 20U;

  /// Throws Error when no memory file can be had. `name` shows in /proc only.
  explicit Capture(const char* name);

  int descriptor() const { return file_.get(); }

  // What follows throws Error(measuring) where the memory file can't be read.

  /// To be called now and then while the program runs: costs one fstat unless there is a flood.
  void drain();

  /// To be called once the program and all its descendants have ended. Of more than most_hashed bytes the digest
  /// is of that many and of their number.
  void finish();
  static constexpr std::uint64_t most_hashed = 1ULL << 34U;

  std::uint64_t bytes() const { return bytes_; }         ///< after finish()
  std::string digest() const { return digest_.text(); }  ///< after finish()

  /// The first `most` bytes (at most `kept`), and the last `most` bytes: of what there is up to now.
  std::string head(std::size_t most = kept) const;
  std::string tail(std::size_t most) const;

 private:
  std::uint64_t size() const;
  std::uint64_t written() const { return finished_ ? bytes_ : size(); }
  void hash_up_to(std::uint64_t end);
  std::string piece(std::uint64_t from, std::size_t count) const;
  /// As many as there are. Throws Error(measuring) where the memory file can't be read.
  std::size_t read(char* into, std::size_t most, std::uint64_t from) const;

  Descriptor file_;
  Digest digest_;
  std::uint64_t hashed_ = 0, bytes_ = 0;
  bool finished_ = false;  ///< what is written later, by whom it may, does not count
};

}  // namespace assay::measure
