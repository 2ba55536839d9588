#include "assay/service/scoped_affinity.hpp"

namespace assay::service {

ScopedAffinity::ScopedAffinity(int core) {
  if (core < 0 || core >= CPU_SETSIZE || sched_getaffinity(0, sizeof before_, &before_) != 0) return;
  cpu_set_t one;
  CPU_ZERO(&one);
  CPU_SET(static_cast<unsigned>(core), &one);
  pinned_ = sched_setaffinity(0, sizeof one, &one) == 0;
}

ScopedAffinity::~ScopedAffinity() {
  if (pinned_) sched_setaffinity(0, sizeof before_, &before_);
}

}  // namespace assay::service
