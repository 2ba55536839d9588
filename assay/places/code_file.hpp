#pragma once

#include <cstdint>
#include <memory>
#include <optional>
#include <span>
#include <string>
#include <string_view>
#include <vector>

namespace assay::places {

/// The range of a function, or of data, in a file, at addresses as the file has them.
struct Function {
  std::uint64_t address = 0, bytes = 0;
  std::string symbol;  ///< as the symbol table has it; empty where only its range is known
};

/// The functions of a program or a shared library: from its symbol table, else that of its separate debug file
/// (by build id or debug link), else the symbols that it exports. What these leave out is known by the ranges of
/// .eh_frame, which every program has, without a name.
///
/// One thread at a time. Cost of making one: linear in its symbols; libc some 5 ms.
class CodeFile {
 public:
  /// Reads `path` (ELF); nothing is read of one that is missing, is damaged, or has another build id than
  /// `build_id` by now (empty: any).
  explicit CodeFile(const std::string& path, const std::string& build_id = {});
  ~CodeFile();
  CodeFile(const CodeFile&) = delete;
  CodeFile& operator=(const CodeFile&) = delete;

  bool was_replaced() const { return was_replaced_; }  ///< it has another build id by now
  bool has_names() const { return has_names_; }

  /// The function that holds the byte at this offset in the file; nullptr where none is known.
  const Function* at_offset(std::uint64_t offset) const;
  /// Whether there is a stub there that calls into another library (.plt).
  bool is_stub(std::uint64_t offset) const;

  const std::vector<Function>& functions() const { return functions_; }  ///< by address
  const Function* at_address(std::uint64_t address) const;
  /// The variable or table that holds the byte at this address; nullptr where none has a name.
  const Function* data_at(std::uint64_t address) const;
  /// What the file holds from this address on, `most` bytes or as many as its segment has; empty outside.
  std::span<const unsigned char> bytes(std::uint64_t address, std::uint64_t most) const;

  const std::string& path() const { return path_; }
  const std::string& build_id() const { return build_id_; }  ///< that was asked for

  /// The address of a byte of code by its offset in the file.
  std::uint64_t address_of(std::uint64_t offset) const;

 private:
  struct Files;
  void read_segments();
  void read_functions();
  void read_frames();

  struct Segment {
    std::uint64_t offset, address, bytes;
    mutable std::vector<unsigned char> content;  ///< read when it is asked for
  };
  std::string path_, build_id_;
  std::unique_ptr<Files> files_;
  std::vector<Segment> code_, constants_;
  std::vector<Segment> stubs_;
  std::vector<Function> functions_;
  mutable std::optional<std::vector<Function>> data_;  ///< read when it is asked for
  bool was_replaced_ = false, has_names_ = false;
};

/// A symbol as its source has it: demangled, without what compilers append to pieces and copies of a function
/// (.cold, .part.0, .isra.0 …), without a symbol version, and without Rust's hash. What can't be demangled
/// stays as it is.
std::string source_name(std::string_view symbol);

}  // namespace assay::places
