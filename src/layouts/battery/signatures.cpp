#include "layouts/battery/signatures.h"

#include <algorithm>
#include <string_view>

#include "bytes/cursor.h"
#include "bytes/text.h"
#include "layouts/cards/n64_pak_format.h"

namespace bayswap {
namespace {

// The last 64 bytes of segacd backup memory name its format.
constexpr std::size_t kSegacdMarkBefore = 0x20;
constexpr std::string_view kSegacdMark = "SEGA_CD_ROM";

bool has_segacd_mark(ByteView chip) {
  if (chip.size() < 64) return false;
  const auto mark = chip.subspan(chip.size() - kSegacdMarkBefore, kSegacdMark.size());
  const ByteView wanted = as_bytes(kSegacdMark);
  return std::equal(mark.begin(), mark.end(), wanted.begin());
}

}  // namespace

bool bears_signature(System system, std::string_view part) {
  return (system == System::n64 && part == "pak1") || system == System::segacd;
}

Match judge_signature(System system, ByteView chip) {
  const bool pak = system == System::n64;
  if (pak ? pak_has_id(chip) : has_segacd_mark(chip))
    return {Confidence::certain, pak ? "the pak's id block holds" : "its end names the format",
            true};
  return {Confidence::possible, "the size fits", false};
}

}  // namespace bayswap
