#pragma once

#include <cstddef>
#include <optional>
#include <stop_token>
#include <string>
#include <vector>

#include "assay/measure/process.hpp"
#include "assay/relink/address_plan.hpp"
#include "assay/relink/captured_links.hpp"

namespace assay::relink {

/// A program whose link can be done again with other layouts. Its link is proved first: done again unchanged
/// it must give the same bytes.
class Relinker {
 public:
  /// `folder` is for files of its own while it links. REQUIRES: `launcher` outlives it. Nothing is run yet.
  Relinker(CapturedLink link, measure::Launcher& launcher, std::string folder);

  /// Proves the link and looks for its pieces, or remembers what that gave before. Returns why its layout
  /// can't be varied; empty: it can. Throws Cancelled. Cost: three links, once for each link.
  std::string verify(const std::stop_token& stop);

  LayoutMethod method() const { return known_.method; }
  /// What the linker says it is: "GNU ld (GNU Binutils for Debian) 2.40".
  const std::string& linker() const { return known_.linker; }
  const std::vector<CodePiece>& pieces() const { return known_.pieces; }
  /// Of them, those of objects that are not the system's.
  std::size_t project_pieces() const;
  bool has_own_script() const { return known_.own_script; }
  double seconds() const { return known_.seconds; }  ///< that one link took

  /// Links a layout into the file `to`. `slots` are those of a common layout, `seed` draws a shuffled one.
  /// Returns why it could not; empty: it is there. May be called from several threads, each with another
  /// `to`. Throws Cancelled. Cost: a link.
  std::string link(const AddressPlan& slots, std::uint64_t seed, const std::string& to,
                   const std::stop_token& stop) const;

 private:
  struct Ran {
    std::string problem, out;
  };
  Ran run(std::vector<std::string> arguments, const std::string& output, const std::stop_token& stop) const;
  std::string link_common(const AddressPlan& slots, const std::string& to, CodeMap* map,
                          const std::stop_token& stop) const;
  std::string assemble(const CodeGaps& gaps, const std::string& to, const std::stop_token& stop) const;
  std::string link_shuffled(std::uint64_t seed, const std::string& to, const std::stop_token& stop) const;
  std::string inspect(const std::stop_token& stop);
  std::string find_pieces(const std::string& map_text, const std::string& trial, const std::stop_token& stop);

  CapturedLink link_;
  measure::Launcher& launcher_;
  std::string folder_;
  LinkProperties known_;
};

}  // namespace assay::relink
