#include "places/rom_hashes.h"

#include <fmt/core.h>

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
