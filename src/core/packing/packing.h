// General compression around states, undone and done again with limits.
#pragma once

#include <algorithm>
#include <optional>
#include <string>

#include "bayswap/result.h"
#include "bayswap/state.h"

namespace bayswap {

/// More is never unpacked, in bytes.
inline constexpr std::uint64_t kMostUnpacked = 512ULL << 20U;

/// What a packed file of this size may unpack to, in bytes: a machine's memory, or what its size
/// makes likely.
[[nodiscard]] inline std::uint64_t unpacking_budget(std::uint64_t packed) {
  constexpr std::uint64_t kFree = 96ULL << 20U;
  constexpr std::uint64_t kRatio = 200;
  return std::min(kMostUnpacked, kFree + kRatio * std::min(packed, kMostUnpacked));
}

/// By the first bytes; zlib, whose mark is short, also by its end.
[[nodiscard]] Packing packing_of(ByteView file);

struct Unpacked {
  Bytes bytes;
  std::size_t used = 0;  ///< packed bytes; what stands behind them is not part of it
  Bytes picture;         ///< a PNG beside the content, in a zip
  bool whole = true;     ///< false when the limit cut it
};

enum class AtLimit { fail, cut };

/// Errors: `damaged`, `too-large`. The limit is never more than unpacking_budget() of the file.
/// `name` is for messages; `work`, where it is given, grows by the bytes that were unpacked, also
/// when it fails.
[[nodiscard]] Result<Unpacked> unpack(ByteView file, Packing packing, std::uint64_t limit,
                                      AtLimit at_limit, const std::string& name,
                                      std::uint64_t* work = nullptr);

/// Compresses. With a mould, its header and its level are kept where they can be found out: packing
/// the mould's own content then gives the mould. `name` is the entry's in a zip.
[[nodiscard]] Result<Bytes> pack(ByteView content, Packing packing, const std::string& name,
                                 std::optional<ByteView> mould);

}  // namespace bayswap
