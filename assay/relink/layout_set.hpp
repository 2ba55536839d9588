#pragma once

#include <cstdint>
#include <functional>
#include <map>
#include <memory>
#include <stop_token>
#include <string>
#include <vector>

#include "assay/measure/file_io.hpp"
#include "assay/measure/process.hpp"
#include "assay/relink/relinker.hpp"

namespace assay::relink {

/// The layouts that a campaign's programs take in turn. Those that are compared with each other have them in
/// common: pieces of code of one name stand at the same addresses in all of them, which layout k moves.
/// Programs that can't be relinked keep the layout of their own link.
///
/// Shared libraries that were built with a program, and that its link names, are varied as it is.
///
/// The files are made when a round first needs them, several at a time and on all cores, never beside a
/// trial, and lie with the builds; they go with this object, unless they are kept for another of their seed.
/// A program runs under its own path, as it would: its layout is put in its place. When this object ends the
/// programs are as they were built.
class LayoutSet {
 public:
  /// A program as it was built, and where its build keeps what layouts need. Those of one group are compared.
  struct Program {
    std::string candidate, program, folder;
    int group = 0;
  };
  struct Rule {
    int count = 0;  ///< of layouts
    std::uint64_t seed = 0;
    bool keeps = false;  ///< their files stay, for who measures again with this seed
  };
  struct Status {
    int layouts = 0;      ///< 0: it keeps its own
    std::string how;      ///< see BuildInfo::layout
    std::string remarks;  ///< what is to be known of it; empty: nothing
  };

  /// Proves each program's link and finds its pieces of code; `log` receives what is done and found. Throws
  /// Cancelled, and Error where files can't be kept. Cost: three links a program.
  /// REQUIRES: `launcher` outlives it.
  LayoutSet(std::vector<Program> programs, const Rule& rule, measure::Launcher& launcher,
            std::function<void(const std::string&)> log, const std::stop_token& stop);
  ~LayoutSet();
  LayoutSet(const LayoutSet&) = delete;
  LayoutSet& operator=(const LayoutSet&) = delete;

  /// What became of the program with this path; of one that is not among them, that it is not built here.
  Status status(const std::string& program) const;
  bool any() const;
  /// Seconds that it takes to link one layout of all programs.
  double seconds() const;

  /// Puts the layout of this round in place, and links it first where it is not there. Throws Cancelled, and
  /// Error where it can't be linked or put in place.
  void install(int round, const std::stop_token& stop);

  /// Puts the programs as they were built in place.
  void restore();

 private:
  struct Variant;
  void add(Program program, const std::stop_token& stop, bool is_library = false);
  std::vector<std::string> prepare(Variant& varied, const std::stop_token& stop);
  void report(Variant& program) const;
  void choose_paths(Variant& varied) const;
  static std::string file_of(const Variant& varied, int layout);
  std::uint64_t seed_of(int layout) const;
  void make(int first, int end, const std::stop_token& stop);

  /// The locks on the builds whose layouts are varied.
  std::vector<std::shared_ptr<const measure::Descriptor>> locks_;
  std::vector<std::unique_ptr<Variant>> programs_;
  std::map<std::string, int> library_groups_;  ///< by group and name
  int count_;
  std::uint64_t seed_;
  bool keeps_;
  measure::Launcher& launcher_;
  std::function<void(const std::string&)> log_;
  int made_ = 0;  ///< layouts that all programs have
};

}  // namespace assay::relink
