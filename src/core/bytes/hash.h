// Hashes, by the system's cryptography library.
#pragma once

#include <array>
#include <memory>
#include <string>

#include "bayswap/bytes.h"

namespace bayswap {

using Digest = std::array<std::byte, 32>;

[[nodiscard]] Digest sha256(ByteView bytes);
[[nodiscard]] std::string sha256_hex(ByteView bytes);

/// Formats of consoles use it as a checksum.
using Sha1 = std::array<std::byte, 20>;
[[nodiscard]] Sha1 sha1(ByteView bytes);

/// In lower-case hex, as some programs name files.
[[nodiscard]] std::string md5_hex(ByteView bytes);

[[nodiscard]] std::string crc32_hex(ByteView bytes);

/// SHA-256, piece by piece.
class Hasher {
 public:
  Hasher();
  void add(ByteView piece);
  [[nodiscard]] Digest finish();

 private:
  std::unique_ptr<void, void (*)(void*)> state_;
};

}  // namespace bayswap
