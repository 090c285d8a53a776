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

std::optional<Match> judge_signature(System system, std::string_view part, ByteView chip) {
  if (system == System::n64 && part == "pak1")
    return pak_has_id(chip) ? Match{Confidence::certain, "the pak's id block holds", true}
                            : Match{Confidence::possible, "the size fits", false};
  if (system == System::segacd)
    return has_segacd_mark(chip) ? Match{Confidence::certain, "its end names the format", true}
                                 : Match{Confidence::possible, "the size fits", false};
  return std::nullopt;
}

}  // namespace bayswap
