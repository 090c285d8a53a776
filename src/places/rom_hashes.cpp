#include "places/rom_hashes.h"

#include <fmt/core.h>
#include <zlib.h>

#include <algorithm>
#include <array>

#include "bayswap/rom.h"
#include "core/bytes/hash.h"
#include "core/bytes/text.h"
#include "core/packing/archive.h"

namespace bayswap {
namespace {

constexpr std::uint64_t kLargest = 512ULL << 20U;      // bytes of a cartridge
constexpr std::size_t kLargestPacked = 128ULL << 20U;  // unpacked in memory

RomHashes hashes_of(ByteView rom) {
  return {crc32_hex(rom), md5_hex(rom), hex_text(sha1(rom))};
}

}  // namespace

std::string crc32_hex(ByteView bytes) {
  uLong sum = crc32(0, nullptr, 0);
  constexpr std::size_t kStep = 1U << 30U;
  for (std::size_t at = 0; at < bytes.size(); at += kStep) {
    const ByteView piece = bytes.subspan(at, std::min(kStep, bytes.size() - at));
    sum = crc32(sum, reinterpret_cast<const Bytef*>(piece.data()), static_cast<uInt>(piece.size()));
  }
  return fmt::format("{:08x}", sum);
}

RomHashes read_rom_hashes(Storage& storage, const Path& path) {
  const auto view = storage.view(path, kLargest);
  if (!view) return {};
  const ByteView bytes = view->bytes();
  if (!is_zip(bytes)) return hashes_of(bytes);
  RomHashes inner_hashes;
  visit_zip(bytes, {.entry_bytes = kLargestPacked},
            [&](const std::string&, ByteView inner, std::uint64_t size) {
              if (!read_rom(inner, size)) return false;
              if (inner.size() == size) inner_hashes = hashes_of(inner);
              return true;
            });
  return inner_hashes;
}

}  // namespace bayswap
