// Facts of the controller pak's file system that its reader, writer, validator and rescue share.
// Big-endian.
#pragma once

#include <array>
#include <cstdint>
#include <optional>
#include <string>
#include <vector>

#include "bayswap/save.h"
#include "core/layouts/common/chains.h"

namespace bayswap::n64 {

inline constexpr std::size_t kPakSize = 0x8000;
inline constexpr std::size_t kPageSize = 256;
inline constexpr std::uint32_t kFirstPage = 5;  // the pages before are the pak's own
inline constexpr std::uint32_t kPages = 123;    // that a user can fill

// Page 0: the id block and its copies.
inline constexpr std::array<std::size_t, 4> kIdOffsets{0x20, 0x60, 0x80, 0xC0};
inline constexpr std::size_t kIdSize = 32;
inline constexpr std::size_t kIdWords = 14;      // u16 summed by the check
inline constexpr std::size_t kIdDevice = 0x18;   // u16, bit 0 set
inline constexpr std::size_t kIdBanks = 0x1A;    // u8, 1
inline constexpr std::size_t kIdCheck = 0x1C;    // u16
inline constexpr std::size_t kIdInverse = 0x1E;  // u16, FFF2 - check

// Page 1: index table; page 2: its copy. One u16 for each page.
inline constexpr std::array<std::size_t, 2> kIndexOffsets{0x100, 0x200};
inline constexpr std::size_t kIndexCheck = 1;      // u8, sum of the entries from page 5 on
inline constexpr std::size_t kIndexChecked = 0xA;  // where the sum begins
inline constexpr std::uint16_t kLastPage = 1;
inline constexpr std::uint16_t kFreePage = 3;

// Pages 3 and 4: notes.
inline constexpr std::size_t kNotes = 0x300;
inline constexpr std::size_t kNoteCount = 16;
inline constexpr std::size_t kNoteSize = 32;
inline constexpr std::size_t kCode = 0x00;   // 4
inline constexpr std::size_t kMaker = 0x04;  // 2
inline constexpr std::size_t kStart = 0x06;  // u16, first page
inline constexpr std::size_t kStatus = 0x08;
inline constexpr std::byte kWritten{0x02};
inline constexpr std::size_t kExtension = 0x0C;  // 4, the console's character code
inline constexpr std::size_t kExtensionLength = 4;
inline constexpr std::size_t kName = 0x10;  // 16, likewise
inline constexpr std::size_t kNameLength = 16;

inline constexpr std::string_view kDataPart = "data";

[[nodiscard]] bool id_holds(ByteView block);

/// One of the four id blocks of page 0 holds with its check.
[[nodiscard]] bool pak_has_id(ByteView pak);
/// A formatted pak without notes.
[[nodiscard]] bool pak_is_empty(ByteView pak);
/// The number of note slots in use. The pak must be whole.
[[nodiscard]] std::size_t pak_notes(ByteView pak);

[[nodiscard]] std::uint8_t index_check(ByteView index);
/// Its check holds, and it is not erased.
[[nodiscard]] bool index_holds(ByteView index);
/// The index table that a console would use: 0 or 1. The first one where neither holds.
[[nodiscard]] std::size_t current_index(ByteView pak);
[[nodiscard]] ByteView index_of(ByteView pak, std::size_t copy);
/// Pages are counted from 0 for page 5, as in Card::map.
[[nodiscard]] std::uint16_t index_entry(ByteView index, std::uint32_t page);
[[nodiscard]] Chain chain_in(ByteView index, std::uint32_t first);

[[nodiscard]] ByteView note_at(ByteView pak, std::size_t slot);
[[nodiscard]] bool note_in_use(ByteView note);
/// The first page, counted from 0 for page 5. Far outside when it is none.
[[nodiscard]] std::uint32_t note_start(ByteView note);
/// NAME or NAME.EXT.
[[nodiscard]] std::string note_name(ByteView note);
/// Letters that the console can show, and a code of capitals and digits.
[[nodiscard]] bool is_plausible_note(ByteView note);
/// Game code, maker, extension and name: what a game finds its note by.
[[nodiscard]] std::string note_identity(ByteView note);

[[nodiscard]] Bytes data_of(ByteView pak, const std::vector<std::uint32_t>& pages);
[[nodiscard]] Save make_save(ByteView note, Bytes data);
/// A note entry for a save, without its first page. Nothing when its name cannot be written.
[[nodiscard]] std::optional<Bytes> note_for(const Save& save);

}  // namespace bayswap::n64
