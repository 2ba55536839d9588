#pragma once

#include <cstdint>
#include <string>

#include "assay/model/visible.hpp"

namespace assay::model {

/// Reads a duration with its unit (`90 s`, `1.5 min`, `200 ms`, `2h`) and returns seconds. Positive only.
/// Throws Error (without a place) that says what was expected.
double parse_duration(const std::string& text);

/// Reads a share with its per-cent sign (`1 %`, `0.5%`) and returns it as a number (0.01). From 0 to below
/// 1000 %. Throws Error (without a place).
double parse_percent(const std::string& text);

/// Reads an amount of memory with its unit (`64 MiB`, `1.5 GiB`, `500 kB`, `4096 B`) and returns whole bytes,
/// from 1 to below 2^62. Throws Error (without a place).
std::uint64_t parse_bytes(const std::string& text);

/// The same the other way, in a form that the parser reads back to the same value.
std::string duration_text(double seconds);
std::string percent_text(double share);
std::string bytes_text(std::uint64_t bytes);

}  // namespace assay::model
