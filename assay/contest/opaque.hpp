#pragma once

#include <memory>
#include <type_traits>

namespace assay {

/// The same value, but the compiler can no longer know anything about it: neither what it is nor that it is
/// the same as a moment ago. Keeps it from computing a result once, or while compiling, where the program is
/// to do the work each time.
///
///   sum += price(assay::hide_value(order));
///
/// Costs nothing but the register the address is in.
template <class T>
[[gnu::always_inline]] inline T& hide_value(T& value) noexcept {
  T* where = std::addressof(value);
  asm volatile("" : "+r"(where) : : "memory");
  return *where;
}

/// Makes the compiler believe that the value is used, so that the work behind it can't be left out. A scalar
/// stays in its register; anything else is there in memory, with all that it points to.
template <class T>
[[gnu::always_inline]] inline void use_value(const T& value) noexcept {
  if constexpr (std::is_integral_v<T> || std::is_pointer_v<T> || std::is_enum_v<T>)
    asm volatile("" : : "r"(value) : "memory");
  else
    asm volatile("" : : "r"(std::addressof(value)) : "memory");
}

}  // namespace assay
