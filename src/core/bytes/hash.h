// SHA-256, by the system's cryptography library.
#pragma once

#include <array>
#include <memory>
#include <string>

#include "bayswap/bytes.h"

namespace bayswap {

using Digest = std::array<std::byte, 32>;

[[nodiscard]] Digest sha256(ByteView bytes);
[[nodiscard]] std::string sha256_hex(ByteView bytes);

/// The same, piece by piece.
class Hasher {
 public:
  Hasher();
  void add(ByteView piece);
  [[nodiscard]] Digest finish();

 private:
  std::unique_ptr<void, void (*)(void*)> state_;
};

}  // namespace bayswap
