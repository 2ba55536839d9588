#include "assay/report/words.hpp"

#include "assay/metrics/catalogue.hpp"
#include "assay/model/names.hpp"

namespace assay::inline v1::report {

std::string verdict_word(const Metric& metric, Verdict verdict) {
  const auto& words = metrics::words_of(metric);
  switch (verdict) {
    case Verdict::better:
      return words.better;
    case Verdict::worse:
      return words.worse;
    case Verdict::same:
    case Verdict::unclear:
    case Verdict::differs:
      break;
  }
  return to_string(verdict);
}

std::string verdict_phrase(const Metric& metric, Verdict verdict) {
  const auto& what = metrics::words_of(metric).what;
  const auto word = verdict_word(metric, verdict);
  return (what == "program" ? "a " : "") + word + (what.empty() ? "" : " " + what);
}

}  // namespace assay::inline v1::report
