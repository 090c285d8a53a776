// Bytes assembled by hand for tests.
#pragma once

#include <cstdint>
#include <initializer_list>
#include <random>
#include <string>
#include <string_view>

#include "bayswap/bytes.h"

namespace bayswap::test {

inline Bytes bytes(std::initializer_list<unsigned> values) {
  Bytes out;
  for (const unsigned value : values) out.push_back(static_cast<std::byte>(value));
  return out;
}

inline Bytes filled(std::size_t size, unsigned value) {
  return Bytes(size, static_cast<std::byte>(value));
}

inline Bytes random_bytes(std::size_t size, std::uint32_t seed) {
  std::mt19937 numbers(seed);
  Bytes out(size);
  for (std::size_t i = 0; i < size; i += 4)
    for (std::uint64_t left = numbers(), j = 0; j < 4 && i + j < size; ++j, left >>= 8)
      out[i + j] = static_cast<std::byte>(left & 0xFFU);
  return out;
}

inline void put(Bytes& into, std::size_t at, const Bytes& what) {
  std::copy(what.begin(), what.end(), into.begin() + static_cast<std::ptrdiff_t>(at));
}

inline void put(Bytes& into, std::size_t at, std::string_view what) {
  for (std::size_t i = 0; i < what.size(); ++i) into[at + i] = static_cast<std::byte>(what[i]);
}

inline void put(Bytes& into, std::size_t at, unsigned value) {
  into[at] = static_cast<std::byte>(value);
}

inline Bytes operator+(Bytes a, const Bytes& b) {
  a.insert(a.end(), b.begin(), b.end());
  return a;
}

}  // namespace bayswap::test
