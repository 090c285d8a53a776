// PARAM.SFO: a sorted table of keys and values that hand-helds keep beside a save. Little-endian:
// "\0PSF", u32 version 0x101, u32 key table, u32 data table, u32 count, then 16 bytes an entry.
#pragma once

#include <cstdint>
#include <string>
#include <string_view>
#include <vector>

#include "bayswap/bytes.h"
#include "bayswap/result.h"

namespace bayswap {

struct SfoEntry {
  enum class Type { text, number, raw } type = Type::raw;
  std::string key;
  std::string text;          ///< of text
  std::uint32_t number = 0;  ///< of a number
  Bytes bytes;               ///< of raw data
};

/// Errors: `damaged`, with what is wrong.
[[nodiscard]] Result<std::vector<SfoEntry>> parse_param_sfo(ByteView file);

/// The text behind a key; empty when there is none.
[[nodiscard]] std::string sfo_text(const std::vector<SfoEntry>& entries, std::string_view key);

}  // namespace bayswap
