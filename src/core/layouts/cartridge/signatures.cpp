#include "core/layouts/cartridge/signatures.h"

#include <fmt/core.h>

#include <algorithm>
#include <string_view>

#include "core/bytes/cursor.h"
#include "core/bytes/text.h"
#include "core/layouts/n64/n64_pak_format.h"

namespace bayswap {
namespace {

// The last 64 bytes of segacd backup memory name its format.
constexpr std::size_t kSegacdMarkBefore = 0x20;
constexpr std::size_t kSegacdFreeBefore = 0x30;   // u16 big-endian, four times
constexpr std::size_t kSegacdFilesBefore = 0x28;  // likewise
constexpr std::size_t kCopies = 4;
constexpr std::string_view kSegacdMark = "SEGA_CD_ROM";

bool has_segacd_mark(ByteView chip) {
  if (chip.size() < 64) return false;
  const auto mark = chip.subspan(chip.size() - kSegacdMarkBefore, kSegacdMark.size());
  const ByteView wanted = as_bytes(kSegacdMark);
  return std::equal(mark.begin(), mark.end(), wanted.begin());
}

// A number that is stored four times: what most of them say.
std::optional<std::uint16_t> voted(ByteView chip, std::size_t at) {
  Cursor cursor(chip);
  for (std::size_t i = 0; i < kCopies; ++i) {
    std::size_t votes = 0;
    for (std::size_t k = 0; k < kCopies; ++k)
      votes += cursor.u16be(at + i * 2) == cursor.u16be(at + k * 2) ? 1 : 0;
    if (votes * 2 > kCopies) return cursor.u16be(at + i * 2);
  }
  return std::nullopt;
}

std::optional<std::uint16_t> segacd_files(ByteView chip) {
  if (!has_segacd_mark(chip)) return std::nullopt;
  return voted(chip, chip.size() - kSegacdFilesBefore);
}

}  // namespace

bool bears_signature(System system, std::string_view part) {
  return (system == System::n64 && part == "pak1") || system == System::segacd;
}

Match judge_signature(System system, ByteView chip) {
  const bool pak = system == System::n64;
  if (pak ? n64::pak_has_id(chip) : has_segacd_mark(chip))
    return {Confidence::certain, pak ? "the pak's id block holds" : "its end names the format",
            Basis::structure};
  return {Confidence::possible, "the size fits", Basis::size};
}

bool is_formatted_and_empty(System system, ByteView chip) {
  return system == System::segacd && segacd_files(chip) == 0;
}

std::optional<Finding> judge_contents(System system, ByteView chip) {
  if (system != System::segacd || !has_segacd_mark(chip)) return std::nullopt;
  const auto files = segacd_files(chip);
  const auto free = voted(chip, chip.size() - kSegacdFreeBefore);
  if (!files || !free)
    return Finding{Level::warn, Code::spare_lost,
                   "the four copies of its count of saves disagree: the memory may be damaged",
                   "look at it on the console before you rely on it"};
  return Finding{Level::note, Code::saves_not_listed,
                 fmt::format("it counts {} {} and {} free blocks; the saves inside are not listed, "
                             "and the memory moves whole",
                             *files, *files == 1 ? "save" : "saves", *free),
                 ""};
}

}  // namespace bayswap
