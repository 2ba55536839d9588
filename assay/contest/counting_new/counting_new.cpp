// The counting operators new and delete: a library of its own, since linking it replaces the program's. They
// take their memory from malloc and count only while asked to, so that otherwise they cost one load.

#include <malloc.h>

#include <atomic>
#include <cstddef>
#include <cstdlib>
#include <new>

#include "assay/contest/threads.hpp"

namespace {

std::atomic<bool> counting = false;
std::atomic<std::uint64_t> calls = 0, bytes = 0;
std::atomic<std::int64_t> held = 0, peak = 0;

void add(void* memory, std::size_t size) {
  calls.fetch_add(1, std::memory_order_relaxed);
  bytes.fetch_add(size, std::memory_order_relaxed);
  const auto usable = static_cast<std::int64_t>(malloc_usable_size(memory));
  const auto now = held.fetch_add(usable, std::memory_order_relaxed) + usable;
  auto most = peak.load(std::memory_order_relaxed);
  while (now > most && !peak.compare_exchange_weak(most, now, std::memory_order_relaxed)) {
  }
}

void* allocate(std::size_t size, std::size_t alignment) {
  const std::size_t wanted = size == 0 ? 1 : size;
  while (true) {
    void* memory = alignment <= alignof(std::max_align_t)
                       ? std::malloc(wanted)
                       : std::aligned_alloc(alignment, (wanted + alignment - 1) / alignment * alignment);
    if (memory != nullptr) {
      if (counting.load(std::memory_order_relaxed)) add(memory, size);
      return memory;
    }
    const auto handler = std::get_new_handler();
    if (handler == nullptr) throw std::bad_alloc();
    handler();
  }
}

void* allocate_or_null(std::size_t size, std::size_t alignment) noexcept {
  try {
    return allocate(size, alignment);
  } catch (...) {
    return nullptr;
  }
}

void release(void* memory) noexcept {
  if (memory != nullptr && counting.load(std::memory_order_relaxed))
    held.fetch_sub(static_cast<std::int64_t>(malloc_usable_size(memory)), std::memory_order_relaxed);
  std::free(memory);
}

constexpr std::size_t usual = alignof(std::max_align_t);
std::size_t of(std::align_val_t alignment) { return static_cast<std::size_t>(alignment); }

}  // namespace

extern "C" void assay_allocations_count(int on, assay::contest::AllocationCounts* into) {
  if (into != nullptr) *into = {calls, bytes, static_cast<std::uint64_t>(peak > 0 ? peak.load() : 0)};
  counting = false;
  if (on == 0) return;
  calls = bytes = 0;
  held = peak = 0;
  counting = true;
}

void* operator new(std::size_t size) { return allocate(size, usual); }
void* operator new[](std::size_t size) { return allocate(size, usual); }
void* operator new(std::size_t size, std::align_val_t a) { return allocate(size, of(a)); }
void* operator new[](std::size_t size, std::align_val_t a) { return allocate(size, of(a)); }
void* operator new(std::size_t size, const std::nothrow_t&) noexcept { return allocate_or_null(size, usual); }
void* operator new[](std::size_t size, const std::nothrow_t&) noexcept {
  return allocate_or_null(size, usual);
}
void* operator new(std::size_t size, std::align_val_t a, const std::nothrow_t&) noexcept {
  return allocate_or_null(size, of(a));
}
void* operator new[](std::size_t size, std::align_val_t a, const std::nothrow_t&) noexcept {
  return allocate_or_null(size, of(a));
}
void operator delete(void* memory) noexcept { release(memory); }
void operator delete[](void* memory) noexcept { release(memory); }
void operator delete(void* memory, std::size_t) noexcept { release(memory); }
void operator delete[](void* memory, std::size_t) noexcept { release(memory); }
void operator delete(void* memory, std::align_val_t) noexcept { release(memory); }
void operator delete[](void* memory, std::align_val_t) noexcept { release(memory); }
void operator delete(void* memory, std::size_t, std::align_val_t) noexcept { release(memory); }
void operator delete[](void* memory, std::size_t, std::align_val_t) noexcept { release(memory); }
void operator delete(void* memory, const std::nothrow_t&) noexcept { release(memory); }
void operator delete[](void* memory, const std::nothrow_t&) noexcept { release(memory); }
