#pragma once

#include <cstdint>
#include <map>
#include <optional>
#include <set>
#include <string>
#include <utility>
#include <vector>

#include "assay/model/where.hpp"
#include "assay/places/code_file.hpp"

namespace assay::places {

/// Compares the machine code of functions in two builds of a program or library, leaving out where things lie.
///
/// Two functions have the same code when each byte is equal, or is part of four that name a place in memory (behind
/// a call or a jump, behind a ModRM byte that says "relative to the next instruction", or whole addresses in
/// programs that are not position independent), and these places mean the same in both: the same function or
/// datum by name and offset, what the same slot of the global offset table or the same stub holds, the same table of
/// jumps, or a constant of the same bytes. Equal bytes that name a place are looked at in the same way. Instructions are not decoded. x86-64 only; `unknown` elsewhere.
///
/// One thread at a time; both files must outlive it. Cost: linear in the functions' bytes, after reading the
/// relocations of both files once.
class CodeComparison {
 public:
  CodeComparison(const CodeFile& a, const CodeFile& b);

  /// Whether functions can be compared: both are x86-64, and their functions have names.
  bool is_possible() const;
  CodeLikeness compare(const Function& of_a, const Function& of_b) const;
  /// Of all functions whose source_name() is this, in pairs by symbol: `same` when all are; `other` when one has
  /// another code, or is in one of the files alone; `unknown` where there are none.
  CodeLikeness compare(const std::string& source_name) const;
  /// Where the function of this source name begins in each, in bytes after the last multiple of 64; none where it
  /// is in several pieces, or missing.
  std::optional<std::pair<int, int>> within_line(const std::string& source_name) const;
  /// Whether one of the files alone has functions of this source name.
  bool is_alone(const std::string& source_name) const;
  /// The source names of functions that call one of these directly, in either file. Cost: linear in the files' code.
  std::set<std::string> callers_of(const std::set<std::string>& source_names) const;
  /// The source names of functions of both files that have another code in each, in ascending order.
  std::vector<std::string> differing() const;

 private:
  /// A file and what the linker fills in.
  struct Side {
    explicit Side(const CodeFile& of);
    /// What a stub of .plt jumps to; empty where there is none.
    std::string stub_at(std::uint64_t address) const;
    /// The functions of a source name, by symbol.
    std::vector<std::pair<std::string, const Function*>> pieces_of(const std::string& source_name) const;

    const CodeFile& file;
    bool is_fixed = false;  ///< it lies where it was linked, so that code may hold whole addresses
    bool is_x86_64 = false;
    std::multimap<std::pair<std::string, std::string>, const Function*> by_name;  ///< source name and symbol
    std::map<std::uint64_t, std::string> slots;       ///< that hold the address of a symbol
    std::map<std::uint64_t, std::uint64_t> relative;  ///< slots that hold an address of the file itself
  };
  /// Where four bytes of a function point to.
  struct Place {
    const Function& function;
    std::uint64_t address;
  };
  bool same_place(const Place& a, const Place& b, std::size_t read) const;
  bool same_constant(const Place& a, const Place& b, std::size_t read) const;
  bool same_reference(const Function& of_a, const Function& of_b, std::size_t at) const;
  bool other_reference(const Function& of_a, const Function& of_b, std::size_t at) const;

  Side a_, b_;
};

}  // namespace assay::places
