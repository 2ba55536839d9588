#include "assay/report/words.hpp"

#include "assay/metrics/catalogue.hpp"
#include "assay/model/names.hpp"

namespace assay::report {

std::string verdict_word(const Metric& metric, Verdict verdict) {
  const auto& words = metrics::change_words(metric);
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
  const auto& words = metrics::change_words(metric);
  auto phrase = words.article.empty() ? verdict_word(metric, verdict)
                                      : words.article + " " + verdict_word(metric, verdict);
  return words.what.empty() ? phrase : phrase + " " + words.what;
}

}  // namespace assay::report
