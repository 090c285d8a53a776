// Checksums over a whole ROM, and sizes, where headers tell them.
#pragma once

#include <cstdint>
#include <optional>

#include "bayswap/bytes.h"
#include "bayswap/game.h"

namespace bayswap {

enum class WholeCheck { none, holds, fails };

/// The checksum that a ROM has of its own, worked out piece by piece from the ROM's beginning on.
///
/// gb: big-endian at 0x14E, the sum of all other bytes. snes: the pair in the header at 0x7FC0 or
/// 0xFFC0, the sum of all bytes with the rest of an odd size repeated. md: big-endian at 0x18E, the
/// sum of the 16-bit words from 0x200 on. Others have none that can be worked out.
class RomChecksum {
 public:
  /// `size`: of the whole ROM, in bytes.
  RomChecksum(System system, std::uint64_t size);
  void add(ByteView piece);
  [[nodiscard]] WholeCheck verdict() const;

 private:
  [[nodiscard]] WholeCheck gb_verdict() const;
  [[nodiscard]] WholeCheck snes_verdict() const;
  [[nodiscard]] WholeCheck md_verdict() const;

  System system_;
  std::uint64_t size_;
  std::uint64_t seen_ = 0;
  Bytes beginning_;            // as far as headers lie
  std::uint32_t sum_ = 0;      // of all; of snes only up to the largest power of two
  std::uint32_t sum_end_ = 0;  // snes: of the rest
};

/// Bytes of the whole ROM, as its header says; nothing where it does not. gb 0x148, nes from its
/// banks, snes 0x7FD7, md 0x1A4.
[[nodiscard]] std::optional<std::uint64_t> rom_size_in(System system, ByteView header);

}  // namespace bayswap
