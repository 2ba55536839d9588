#pragma once

#include <soci/soci.h>

#include <exception>
#include <string>

#include "assay/ledger/ledger.hpp"
#include "assay/model/error.hpp"

namespace assay::ledger {

/// The session behind a Ledger; included by this module's own sources only.
struct Ledger::State {
  std::string path;
  soci::session sql;

  [[noreturn]] void fail(const std::exception& error) const;

  /// Runs `work` in one transaction: all of it is stored, or nothing.
  template <class Work>
  auto transact(Work&& work) {
    try {
      soci::transaction all(sql);
      if constexpr (std::is_void_v<decltype(work())>) {
        work();
        all.commit();
      } else {
        auto result = work();
        all.commit();
        return result;
      }
    } catch (const soci::soci_error& error) {
      fail(error);
    }
  }
};

}  // namespace assay::ledger
