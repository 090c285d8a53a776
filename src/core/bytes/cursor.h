// Bounds-checked access to structures in hostile bytes.
#pragma once

#include <bit>
#include <optional>
#include <string>

#include "bayswap/bytes.h"

namespace bayswap {

/// Part of a view; nothing when it does not lie wholly inside.
[[nodiscard]] inline std::optional<ByteView> slice(ByteView view, std::uint64_t offset,
                                                   std::uint64_t size) {
  if (offset > view.size() || size > view.size() - offset) return std::nullopt;
  return view.subspan(static_cast<std::size_t>(offset), static_cast<std::size_t>(size));
}

[[nodiscard]] inline std::uint8_t to_u8(std::byte value) {
  return std::to_integer<std::uint8_t>(value);
}

/// Reads numbers at offsets. A read past the end gives 0 and marks the cursor as overrun, so that a
/// whole header can be read first and judged once.
class Cursor {
 public:
  explicit Cursor(ByteView view) : view_(view) {}

  [[nodiscard]] std::uint8_t u8(std::uint64_t offset) {
    return static_cast<std::uint8_t>(number(offset, 1, std::endian::little));
  }
  [[nodiscard]] std::uint16_t u16le(std::uint64_t offset) {
    return static_cast<std::uint16_t>(number(offset, 2, std::endian::little));
  }
  [[nodiscard]] std::uint16_t u16be(std::uint64_t offset) {
    return static_cast<std::uint16_t>(number(offset, 2, std::endian::big));
  }
  [[nodiscard]] std::uint32_t u32le(std::uint64_t offset) {
    return static_cast<std::uint32_t>(number(offset, 4, std::endian::little));
  }
  [[nodiscard]] std::uint32_t u32be(std::uint64_t offset) {
    return static_cast<std::uint32_t>(number(offset, 4, std::endian::big));
  }
  [[nodiscard]] std::uint64_t u64le(std::uint64_t offset) {
    return number(offset, 8, std::endian::little);
  }
  [[nodiscard]] std::uint64_t u64be(std::uint64_t offset) {
    return number(offset, 8, std::endian::big);
  }
  [[nodiscard]] ByteView bytes(std::uint64_t offset, std::uint64_t size);
  [[nodiscard]] bool overrun() const { return overrun_; }

 private:
  [[nodiscard]] std::uint64_t number(std::uint64_t offset, unsigned width, std::endian order) {
    std::uint64_t value = 0;
    const ByteView found = bytes(offset, width);
    for (std::size_t i = 0; i < found.size(); ++i)
      value = value << 8U | to_u8(found[order == std::endian::big ? i : found.size() - 1 - i]);
    return value;
  }

  ByteView view_;
  bool overrun_ = false;
};

inline ByteView Cursor::bytes(std::uint64_t offset, std::uint64_t size) {
  const auto found = slice(view_, offset, size);
  if (!found) overrun_ = true;
  return found.value_or(ByteView{});
}

/// Stores a little- or big-endian number of `width` bytes. The target must be large enough.
inline void store_le(std::span<std::byte> target, std::uint64_t value) {
  for (std::byte& byte : target) {
    byte = static_cast<std::byte>(value & 0xFFU);
    value >>= 8U;
  }
}

inline void store_be(std::span<std::byte> target, std::uint64_t value) {
  for (std::size_t i = target.size(); i-- > 0; value >>= 8U)
    target[i] = static_cast<std::byte>(value & 0xFFU);
}

}  // namespace bayswap
