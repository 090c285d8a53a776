#include "places/file_kind.h"

#include <magic.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <memory>

#include "core/bytes/text.h"
#include "core/packing/packing.h"

namespace bayswap {

std::string describe_bytes(ByteView file) {
  using Library = std::unique_ptr<std::remove_pointer_t<magic_t>, decltype(&magic_close)>;
  constexpr int kFlags = MAGIC_NO_CHECK_COMPRESS | MAGIC_NO_CHECK_ELF | MAGIC_NO_CHECK_TOKENS;
  const Library library(magic_open(kFlags), &magic_close);
  if (!library || magic_load(library.get(), nullptr) != 0) return {};
  const char* found = magic_buffer(library.get(), file.data(), file.size());
  if (found == nullptr) return {};
  std::string words = safe_text(found);
  // Details follow.
  words.resize(std::min({words.find(','), words.find(" - "), words.size()}));
  return words == "data" || words == "empty" ? std::string() : words;
}

bool looks_sealed(ByteView file) {
  constexpr std::size_t kLeast = 4096;
  constexpr double kSealed = 7.85;  // bits in a byte
  if (file.size() < kLeast) return false;
  std::array<std::size_t, 256> counts{};
  for (const std::byte byte : file) ++counts[static_cast<std::size_t>(byte)];
  double bits = 0;
  for (const std::size_t count : counts)
    if (count > 0) {
      const double share = static_cast<double>(count) / static_cast<double>(file.size());
      bits -= share * std::log2(share);
    }
  return bits >= kSealed;
}

std::optional<CompressedFile> compressed_file(ByteView file, const Hints& hints) {
  constexpr std::uint64_t kMost = 16ULL << 20U;
  const Packing packing = packing_of(file);
  if (packing == Packing::plain || packing == Packing::zip) return std::nullopt;
  const auto unpacked = unpack(file, packing, kMost, AtLimit::fail, {});
  if (!unpacked) return std::nullopt;
  CompressedFile found{packing, unpacked->bytes.size(), nullptr};
  const auto guesses = identify(unpacked->bytes, hints);
  if (!guesses.empty() && guesses.front().basis == Basis::structure)
    found.layout = guesses.front().layout;
  return found;
}

}  // namespace bayswap
