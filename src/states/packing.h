// General compression around states, undone and done again with limits.
#pragma once

#include <optional>
#include <string>

#include "bayswap/result.h"
#include "bayswap/state.h"

namespace bayswap {

/// More is never unpacked, in bytes.
inline constexpr std::uint64_t kMostUnpacked = 512ULL << 20U;

/// By the first bytes; zlib, whose mark is short, also by its end.
[[nodiscard]] Packing packing_of(ByteView file);

struct Unpacked {
  Bytes bytes;
  std::size_t used = 0;  ///< packed bytes; what stands behind them is not part of it
  Bytes picture;         ///< a PNG beside the content, in a zip
  bool whole = true;     ///< false when the limit cut it
};

enum class AtLimit { fail, cut };

/// Errors: `damaged`, `too-large`. `name` is for messages.
[[nodiscard]] Result<Unpacked> unpack(ByteView file, Packing packing, std::uint64_t limit,
                                      AtLimit at_limit, const std::string& name);

/// Compresses. With a mould, its header and its level are kept where they can be found out: packing
/// the mould's own content then gives the mould. `name` is the entry's in a zip.
[[nodiscard]] Result<Bytes> pack(ByteView content, Packing packing, const std::string& name,
                                 std::optional<ByteView> mould);

}  // namespace bayswap
