// Facts of pce backup memory that its reader, writer, validator and rescue share. Little-endian.
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <vector>

#include "bayswap/save.h"

namespace bayswap::pce {

inline constexpr std::size_t kMemorySize = 2048;
inline constexpr std::string_view kMark = "HUBM";
inline constexpr std::size_t kEndAddress = 0x04;   // u16, 8800
inline constexpr std::size_t kNextAddress = 0x06;  // u16, where the next entry goes
inline constexpr std::uint16_t kBase = 0x8000;     // where the memory stands on the bus
inline constexpr std::uint16_t kEnd = 0x8800;
inline constexpr std::size_t kHeaderSize = 16;
inline constexpr std::size_t kFirstEntry = 0x10;
inline constexpr std::size_t kEndMark = 2;  // bytes: a size of 0 ends the list
/// Bytes that a user can fill: entries with their headers, and the mark that ends them.
inline constexpr std::uint32_t kUserBytes = kMemorySize - kFirstEntry - kEndMark;

// Fields of an entry.
inline constexpr std::size_t kSize = 0x00;   // u16, with the header
inline constexpr std::size_t kCheck = 0x02;  // u16: with it, the bytes behind sum up to 0
inline constexpr std::size_t kId = 0x04;     // 2
inline constexpr std::size_t kName = 0x06;   // 10
inline constexpr std::size_t kNameLength = 10;
inline constexpr std::size_t kEntryHeader = 16;

inline constexpr std::string_view kDataPart = "data";

/// A whole entry whose check holds, in either of the two ways in which it is made.
[[nodiscard]] bool entry_holds(ByteView entry);
/// The size of the entry at an offset, when one can lie there; 0 when the list ends or breaks.
[[nodiscard]] std::size_t entry_size(ByteView memory, std::size_t at);

struct Place {
  std::size_t at = 0;
  std::size_t size = 0;
};
/// The entries in order, and whether the list ends as it should.
struct List {
  std::vector<Place> entries;
  std::size_t end = kFirstEntry;  ///< where the mark stands that ends it
  bool sound = false;
};
[[nodiscard]] List list_of(ByteView memory);

[[nodiscard]] Save make_save(ByteView entry);
/// The entry with its data. An entry that came from a memory keeps its own check, right or wrong,
/// unless its name or size changed.
[[nodiscard]] Bytes entry_for(const Save& save);

}  // namespace bayswap::pce
