#pragma once

#include <sched.h>

namespace assay::service {

/// Keeps the calling thread on one core as long as this object lives, so that who sends requests and who
/// answers them don't push each other about. Does nothing where the kernel refuses. To be ended by the thread
/// that made it.
class ScopedAffinity {
 public:
  explicit ScopedAffinity(int core);
  ~ScopedAffinity();
  ScopedAffinity(const ScopedAffinity&) = delete;
  ScopedAffinity& operator=(const ScopedAffinity&) = delete;

 private:
  cpu_set_t before_{};
  bool pinned_ = false;
};

}  // namespace assay::service
