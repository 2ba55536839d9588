#pragma once

#include <cmath>
#include <iterator>
#include <map>
#include <random>
#include <string>
#include <type_traits>
#include <variant>
#include <vector>

#include "assay/codec/plan_keys.hpp"
#include "assay/codec/value.hpp"

namespace assay::test {
using namespace model;

/// Fills fields of every type with what is hard to keep. A visitor of codec::fields() and codec::keys().
class Filler {
 public:
  explicit Filler(unsigned seed) : random_(seed) {}

  template <class T>
  void operator()(const char* /*name*/, T& field) {
    fill(field);
  }

  /// As a plan file can hold it: durations and sizes are above nothing, a step has words, a list has entries
  /// where an empty one is refused.
  template <class T>
  void operator()(const codec::Key& key, T& field) {
    key_ = key;
    fill_key(field);
  }

 private:
  unsigned below(unsigned n) { return static_cast<unsigned>(random_() % n); }

  template <class T>
  void fill(T& field) {
    if constexpr (codec::is_optional<T>) {
      field.reset();
      if (below(3) == 0) return;
      field.emplace();
      fill(*field);
    } else if constexpr (std::is_same_v<T, Requirement>) {
      field = parse_requirement("< " + std::to_string(1 + below(900)) + " ms");
    } else if constexpr (codec::is_id<T>) {
      field.value = below(1000);
    } else if constexpr (std::is_same_v<T, LeadIn>) {
      field = below(2) == 0 ? LeadIn{} : LeadIn{.values = 1 + below(60)};
    } else if constexpr (std::is_enum_v<T>) {
      const auto names = enum_names<T>();
      field = names[below(static_cast<unsigned>(names.size()))].value;
    } else if constexpr (std::is_same_v<T, bool>) {
      field = below(2) == 0;
    } else if constexpr (std::is_integral_v<T>) {
      // Databases and JSON have signed words; seeds and sizes beyond them are spelt as text.
      field = static_cast<T>(random_() >> (sizeof(T) == 8 ? below(60) : 33U));
    } else if constexpr (std::is_floating_point_v<T>) {
      // Every bit of a significand that uses them all, over many magnitudes.
      field = std::ldexp(static_cast<double>((random_() >> 11U) | 1U), static_cast<int>(below(300)) - 200);
    } else if constexpr (std::is_same_v<T, std::vector<std::string>>) {
      field.clear();
      for (unsigned i = below(4); i > 0; --i) field.push_back(text());
    } else {
      field = text();
    }
  }

  template <class T>
  void fill_key(T& field) {
    using codec::KeyFormat;
    if constexpr (codec::is_optional<T>) {
      field.reset();
      if (below(3) == 0) return;
      field.emplace();
      fill_key(*field);
    } else if constexpr (std::is_same_v<T, int>) {
      field =
          key_.min + static_cast<int>(below(static_cast<unsigned>(std::min(key_.max, 1000000) - key_.min)));
    } else if constexpr (std::is_same_v<T, double>) {
      if (key_.format == KeyFormat::plain)
        fill(field);
      else  // of a length that nobody would type, within what a share may be
        field = std::ldexp(static_cast<double>((random_() >> 11U) | 1U), -static_cast<int>(below(20)) - 51);
    } else if constexpr (std::is_same_v<T, std::uint64_t>) {
      field = 1 + (random_() >> (12 + below(52)));  // sizes are read as doubles
    } else if constexpr (std::is_same_v<T, Aggregate>) {
      field = parse_aggregate(below(2) == 0 ? "max" : "q" + std::to_string(below(1000)).insert(1, "."));
    } else if constexpr (std::is_same_v<T, LeadIn>) {
      field = below(2) == 0 ? LeadIn{.values = 1 + below(900)} : LeadIn{.seconds = 0.25 * (1 + below(40))};
    } else if constexpr (std::is_same_v<T, Work>) {
      field = {.amount = std::to_string(1 + below(900)), .unit = text() + "s"};
    } else if constexpr (std::is_same_v<T, Level>) {
      const Level levels[] = {text(), std::int64_t{below(9000)} - 4500, 0.1 * below(100), below(2) == 0};
      field = levels[below(std::size(levels))];
    } else if constexpr (std::is_same_v<T, std::map<std::string, Level>>) {
      field.clear();
      for (unsigned i = below(4); i > 0; --i) fill_key(field["é " + std::to_string(below(99))]);
    } else if constexpr (std::is_same_v<T, std::vector<std::string>>) {
      field = {text()};
      while (below(3) > 0) field.push_back(text());
    } else if constexpr (requires { field.emplace_back(); } && !std::is_same_v<T, std::string>) {
      field.clear();
      do fill_key(field.emplace_back());
      while (below(3) > 0);
    } else if constexpr (std::is_class_v<T> && !std::is_same_v<T, std::string> &&
                         !std::is_same_v<T, Requirement>) {
      if (below(3) > 0) codec::keys(field, *this);
    } else {
      fill(field);
    }
  }

  std::string text() {
    static const char* const parts[] = {"lock", "\"", "'", "\n", ",", " ", "é", "€", "%", "\\", "ß", "?"};
    std::string made;
    for (unsigned i = below(6); i > 0; --i) made += parts[below(std::size(parts))];
    return made;
  }

  std::mt19937_64 random_;
  codec::Key key_{""};
};

}  // namespace assay::test
