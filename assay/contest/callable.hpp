#pragma once

#include <cstdint>
#include <functional>
#include <memory>
#include <optional>
#include <ranges>
#include <sstream>
#include <string>
#include <type_traits>
#include <typeindex>
#include <typeinfo>
#include <utility>
#include <vector>

#include "assay/model/setting.hpp"

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

/// How a contest holds functions of any type: behind plain function pointers, so that all of them are called
/// from one place. Users of the library need none of this by name.
namespace assay::contest {

/// Stands for the input of functions that take none.
struct Nothing {};

/// What one call returned. Its text is for messages; empty when there is none.
struct Answer {
  std::shared_ptr<const void> value;  ///< none of a function that returns nothing
  std::type_index type = typeid(void);
  std::string text;
  /// Equality by `==`; empty where the type has none.
  std::function<bool(const void*, const void*)> equal;
  /// The largest difference relative to the larger size, of numbers or ranges of numbers as long as each
  /// other; empty for other types.
  std::function<double(const void*, const void*)> distance;
};

/// The inputs of one setting. `shared` is given to every call; functions that consume their input get copies,
/// made beforehand.
class Input {
 public:
  virtual ~Input() = default;
  virtual std::type_index type() const = 0;
  virtual const void* shared() const = 0;
  /// `count` fresh ones, one after the other in memory; those given before are gone.
  virtual void* copies(std::size_t count) = 0;
  virtual std::size_t size_of_one() const = 0;
};

/// Runs a function `calls` times. `input` is the shared one, or the first of as many copies.
using Slice = void (*)(void* function, void* input, std::uint64_t calls);

/// A candidate's function.
class Callable {
 public:
  virtual ~Callable() = default;
  /// A copy as it was when it was given to the contest, with none of what calls have changed in it.
  virtual std::unique_ptr<Callable> fresh() const = 0;
  virtual void* function() = 0;
  virtual std::type_index input_type() const = 0;
  virtual bool consumes() const = 0;
  /// The code that runs slices: `copy` 0, or 1 for a second instantiation of the same source.
  virtual Slice slice(int copy) const = 0;
  virtual Answer answer(void* input) = 0;
};

// --- what a callable's signature says -------------------------------------------------------------------

template <class T>
struct Signature : Signature<decltype(&T::operator())> {};
template <class R>
struct Signature<R (*)()> {
  using Result = R;
  using Argument = Nothing;
};
template <class R, class A>
struct Signature<R (*)(A)> {
  using Result = R;
  using Argument = A;
};
template <class C, class R>
struct Signature<R (C::*)() const> : Signature<R (*)()> {};
template <class C, class R>
struct Signature<R (C::*)()> : Signature<R (*)()> {};
template <class C, class R, class A>
struct Signature<R (C::*)(A) const> : Signature<R (*)(A)> {};
template <class C, class R, class A>
struct Signature<R (C::*)(A)> : Signature<R (*)(A)> {};
template <class R>
struct Signature<R (*)() noexcept> : Signature<R (*)()> {};
template <class R, class A>
struct Signature<R (*)(A) noexcept> : Signature<R (*)(A)> {};

/// Whether a function uses up what it is given: it takes it by rvalue or non-const reference, or by a value
/// that is more than a small plain one.
template <class A>
inline constexpr bool is_consumed = std::is_rvalue_reference_v<A> ||
                                    (std::is_lvalue_reference_v<A> &&
                                     !std::is_const_v<std::remove_reference_t<A>>) ||
                                    (!std::is_reference_v<A> &&
                                     !(std::is_trivially_copyable_v<A> && sizeof(A) <= 2 * sizeof(void*)));
template <>
inline constexpr bool is_consumed<Nothing> = false;

// --- answers --------------------------------------------------------------------------------------------

template <class T>
concept Number = std::is_arithmetic_v<T>;
template <class T>
concept Numbers = std::ranges::forward_range<const T> && Number<std::ranges::range_value_t<const T>>;
template <class T>
concept Comparable = requires(const T& a, const T& b) {
  { a == b } -> std::convertible_to<bool>;
};
template <class T>
concept Printable = requires(std::ostream& out, const T& value) {
  out << value;
};

/// |a − b| relative to the larger of the two sizes; 0 when both are the same.
double relative_distance(double a, double b);

template <class T>
Answer make_answer(T&& result) {
  using Value = std::decay_t<T>;
  Answer answer{.value = std::make_shared<const Value>(std::forward<T>(result)), .type = typeid(Value)};
  [[maybe_unused]] const auto at = [](const void* p) -> const Value& {
    return *static_cast<const Value*>(p);
  };
  if constexpr (Comparable<Value>)
    answer.equal = [at](const void* a, const void* b) { return static_cast<bool>(at(a) == at(b)); };
  if constexpr (Number<Value>)
    answer.distance = [at](const void* a, const void* b) {
      return relative_distance(static_cast<double>(at(a)), static_cast<double>(at(b)));
    };
  else if constexpr (Numbers<Value>)
    answer.distance = [at](const void* a, const void* b) {
      double largest = std::ranges::distance(at(a)) == std::ranges::distance(at(b)) ? 0.0 : 1e300;
      auto other = std::ranges::begin(at(b));
      for (const auto x : at(a)) {
        if (largest >= 1e300) break;
        largest = std::max(largest, relative_distance(static_cast<double>(x), static_cast<double>(*other++)));
      }
      return largest;
    };
  if constexpr (Printable<Value>) {
    std::ostringstream text;
    text.precision(12);
    text << at(answer.value.get());
    answer.text = text.str();
  }
  return answer;
}

// --- the two kinds of functions ---------------------------------------------------------------------------

template <class F>
class TypedCallable : public Callable {
  using Argument = typename Signature<F>::Argument;
  using Result = typename Signature<F>::Result;
  using Value = std::decay_t<Argument>;
  static constexpr bool consumed = is_consumed<Argument>;
  static constexpr bool takes_nothing = std::is_same_v<Argument, Nothing>;

 public:
  explicit TypedCallable(F callable) : pristine_(callable), function_(std::move(callable)) {}

  std::unique_ptr<Callable> fresh() const override { return std::make_unique<TypedCallable>(pristine_); }
  void* function() override { return &function_; }
  std::type_index input_type() const override { return typeid(Value); }
  bool consumes() const override { return consumed; }
  Slice slice(int copy) const override { return copy == 0 ? &run<0> : &run<1>; }

  Answer answer(void* input) override {
    if constexpr (std::is_void_v<Result>) {
      call(function_, input);
      return {};
    } else {
      return make_answer(call(function_, input));
    }
  }

 private:
  [[gnu::always_inline]] static inline decltype(auto) call(F& callable, void* input) {
    if constexpr (takes_nothing)
      return callable();
    else if constexpr (consumed && std::is_lvalue_reference_v<Argument>)
      return callable(*static_cast<Value*>(input));
    else if constexpr (consumed)
      return callable(std::move(*static_cast<Value*>(input)));
    else
      return callable(*static_cast<const Value*>(input));
  }

  /// One instantiation for each copy; its assembler statement keeps the two from being folded into one.
  template <int copy>
  [[gnu::noinline]] static void run(void* callable, void* input, std::uint64_t calls) {
    asm volatile("# instantiation %0" : : "i"(copy));
    F& candidate = hide_value(*static_cast<F*>(callable));
    for (std::uint64_t i = 0; i < calls; ++i) {
      void* one = input;
      if constexpr (consumed) one = static_cast<Value*>(input) + i;
      one = &hide_value(*static_cast<char*>(one));
      if constexpr (std::is_void_v<Result>) {
        call(candidate, one);
        asm volatile("" : : : "memory");
      } else {
        decltype(auto) result = call(candidate, one);
        use_value(result);
      }
    }
  }

  F pristine_, function_;
};

template <class T>
class TypedInput : public Input {
 public:
  explicit TypedInput(std::function<T()> make) : make_(std::move(make)), shared_(make_()) {}

  std::type_index type() const override { return typeid(T); }
  const void* shared() const override { return &shared_; }
  std::size_t size_of_one() const override { return sizeof(T); }

  void* copies(std::size_t count) override {
    copies_.clear();
    copies_.reserve(count);
    for (std::size_t i = 0; i < count; ++i) {
      if constexpr (std::is_copy_constructible_v<T>)
        copies_.push_back(shared_);
      else
        copies_.push_back(make_());
    }
    return copies_.data();
  }

 private:
  std::function<T()> make_;
  T shared_;
  std::vector<T> copies_;
};

}  // namespace assay::contest
