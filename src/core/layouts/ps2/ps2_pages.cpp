#include "core/layouts/ps2/ps2_pages.h"

#include <algorithm>
#include <array>
#include <cstring>

#include "core/bytes/cursor.h"
#include "core/bytes/fill.h"
#include "core/layouts/ps2/ps2_ecc.h"
#include "core/layouts/ps2/ps2_format.h"

namespace bayswap::ps2 {
namespace {

constexpr std::size_t kChunks = kPageSize / kChunkSize;

// Pages erased to zeros have no code.
bool erased_to_zero(ByteView page, ByteView spare) {
  return is_filled(spare, kErasedZero) && is_filled(page, kErasedZero);
}

EccState check_page(std::span<std::byte> page, ByteView spare) {
  std::array<std::byte, kPageSize> before{};
  std::ranges::copy(page, before.begin());
  EccState worst = EccState::sound;
  for (std::size_t k = 0; k < kChunks; ++k)
    worst = std::max(worst, check_chunk(page.subspan(k * kChunkSize, kChunkSize),
                                        spare.subspan(k * kEccSize, kEccSize)));
  if (worst == EccState::sound) return worst;
  if (erased_to_zero(before, spare)) {
    std::ranges::copy(before, page.begin());
    return EccState::sound;
  }
  // Where more than a bit is wrong, or the bytes behind the code are overwritten, the code itself
  // may be: what it mended would be a guess.
  const bool untouched = is_filled(spare.subspan(kChunks * kEccSize), kErasedZero) ||
                         (is_filled(spare, kErasedOnes) && is_filled(page, kErasedOnes));
  if (worst == EccState::mended && untouched) return worst;
  std::ranges::copy(before, page.begin());
  return EccState::broken;
}

void write_spare(ByteView page, std::span<std::byte> spare) {
  if (is_filled(page, kErasedOnes)) {
    std::ranges::fill(spare, kErasedOnes);
    return;
  }
  std::ranges::fill(spare, std::byte{0});
  for (std::size_t k = 0; k < kChunks; ++k) {
    const Ecc ecc = ecc_of(page.subspan(k * kChunkSize, kChunkSize));
    for (std::size_t i = 0; i < kEccSize; ++i) spare[k * kEccSize + i] = std::byte{ecc[i]};
  }
}

}  // namespace

bool Pages::is_broken(std::uint64_t cluster) const {
  const std::uint64_t page = cluster * kPagesPerCluster;
  for (std::uint64_t i = page; i < page + kPagesPerCluster; ++i)
    if (i < broken.size() && broken[static_cast<std::size_t>(i)]) return true;
  return false;
}

bool Pages::is_zeroed(std::uint64_t cluster) const {
  constexpr std::uint64_t kPagesPerBlock = std::uint64_t{kClustersPerBlock} * kPagesPerCluster;
  const std::uint64_t first = cluster / kClustersPerBlock * kPagesPerBlock;
  for (std::uint64_t i = first; i < first + kPagesPerBlock; ++i)
    if (i >= zeroed.size() || !zeroed[static_cast<std::size_t>(i)]) return false;
  return true;
}

bool has_spare(ByteView file) {
  const auto plain_fits = [&](std::uint64_t size) {
    return size >= (1U << 20U) && (size & (size - 1)) == 0;
  };
  if (plain_fits(file.size())) return false;
  if (file.size() % kRawPageSize == 0 && plain_fits(file.size() / kRawPageSize * kPageSize))
    return true;
  if (file.size() < kRawPageSize) return false;
  const Ecc ecc = ecc_of(file.first(kChunkSize));
  const Cursor cursor(file);
  return to_u8(file[kPageSize]) == ecc[0] && to_u8(file[kPageSize + 1]) == ecc[1] &&
         to_u8(file[kPageSize + 2]) == ecc[2];
}

Pages read_pages(ByteView file) {
  Pages pages;
  pages.with_spare = has_spare(file);
  if (!pages.with_spare) {
    pages.plain.assign(file.begin(), file.end());
    pages.held = file.size();
    return pages;
  }
  const std::size_t count = file.size() / kRawPageSize;
  pages.plain.reserve(count * kRawPageSize);  // with room for the spare bytes to be written
  pages.held = count * kPageSize;
  pages.broken.resize(count);
  pages.zeroed.resize(count);
  for (std::size_t i = 0; i < count; ++i) {
    const ByteView raw = file.subspan(i * kRawPageSize, kPageSize);
    pages.plain.insert(pages.plain.end(), raw.begin(), raw.end());
    const auto page = std::span(pages.plain).last(kPageSize);
    const ByteView spare = file.subspan(i * kRawPageSize + kPageSize, kSpareSize);
    pages.zeroed[i] = erased_to_zero(raw, spare);
    switch (check_page(page, spare)) {
      case EccState::sound: break;
      case EccState::mended: ++pages.mended; break;
      case EccState::broken:
        pages.broken[i] = true;
        ++pages.broken_count;
        break;
    }
  }
  return pages;
}

bool all_sound(ByteView file) {
  if (!has_spare(file)) return false;
  for (std::size_t at = 0; at + kRawPageSize <= file.size(); at += kRawPageSize) {
    const ByteView page = file.subspan(at, kPageSize);
    const ByteView spare = file.subspan(at + kPageSize, kSpareSize);
    for (std::size_t k = 0; k < kChunks; ++k) {
      const Ecc ecc = ecc_of(page.subspan(k * kChunkSize, kChunkSize));
      const ByteView stored = spare.subspan(k * kEccSize, kEccSize);
      if (std::memcmp(ecc.data(), stored.data(), kEccSize) == 0) continue;
      if (!erased_to_zero(page, spare)) return false;
      break;
    }
  }
  return true;
}

Bytes write_pages(Bytes plain, bool with_spare, ByteView before) {
  if (!with_spare) return plain;
  const std::size_t count = plain.size() / kPageSize;
  const bool same_form = before.size() == count * kRawPageSize && has_spare(before);
  // In place, which saves clearing as much memory again. The last page first: each goes to where
  // only later ones lay.
  Bytes file = std::move(plain);
  file.resize(count * kRawPageSize);
  std::array<std::byte, kPageSize> page{};
  for (std::size_t i = count; i-- > 0;) {
    std::memcpy(page.data(), file.data() + i * kPageSize, kPageSize);
    const std::span<std::byte> target = std::span(file).subspan(i * kRawPageSize, kRawPageSize);
    if (same_form) {
      const ByteView raw = before.subspan(i * kRawPageSize, kRawPageSize);
      if (std::memcmp(raw.data(), page.data(), kPageSize) == 0) {
        std::memcpy(target.data(), raw.data(), kRawPageSize);
        continue;
      }
    }
    std::memcpy(target.data(), page.data(), kPageSize);
    write_spare(page, target.subspan(kPageSize));
  }
  return file;
}

}  // namespace bayswap::ps2
