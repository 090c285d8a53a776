#include "cli/render/slot_board.h"

#include <fmt/core.h>

#include <algorithm>
#include <charconv>
#include <chrono>

#include "cli/render/letters.h"
#include "cli/render/picture.h"
#include "core/bytes/text.h"
#include "core/bytes/time_text.h"
#include "core/packing/png.h"

namespace bayswap::cli {
namespace {

constexpr unsigned kAcross = 10;
constexpr unsigned kMostRows = 10;
// Pixels:
constexpr std::uint32_t kCell = 124;
constexpr std::uint32_t kPictureWide = 116;
constexpr std::uint32_t kPictureHigh = 90;
constexpr std::uint32_t kCellHigh = kPictureHigh + 46;
constexpr std::uint32_t kBoardMargin = 20;
constexpr std::uint32_t kTitleHigh = 30;
constexpr std::uint32_t kBoardGap = 14;
constexpr std::uint32_t kMostHigh = 16'000;

constexpr Colour kGround{24, 26, 31, 255};
constexpr Colour kBox{34, 37, 44, 255};
constexpr Colour kLine{70, 76, 88, 255};
constexpr Colour kTitle{240, 240, 240, 255};
constexpr Colour kText{200, 204, 212, 255};
constexpr Colour kQuiet{120, 126, 138, 255};

// A picture that is drawn on. What lies outside of it is left out.
class Canvas {
 public:
  Canvas(std::uint32_t width, std::uint32_t height)
      : picture_{width, height, std::vector<Colour>(std::size_t{width} * height, kGround)} {}
  [[nodiscard]] const Picture& picture() const { return picture_; }

  void dot(std::uint32_t x, std::uint32_t y, const Colour& colour) {
    if (x < picture_.width && y < picture_.height)
      picture_.pixels[std::size_t{y} * picture_.width + x] = colour;
  }
  void box(std::uint32_t left, std::uint32_t top, const Colour& fill, const Colour& edge) {
    for (std::uint32_t y = 0; y <= kPictureHigh + 1; ++y)
      for (std::uint32_t x = 0; x <= kPictureWide + 1; ++x) {
        const bool border = x == 0 || y == 0 || x == kPictureWide + 1 || y == kPictureHigh + 1;
        dot(left + x, top + y, border ? edge : fill);
      }
  }
  /// Each dot of a letter is `size` pixels wide and high.
  void text(std::uint32_t left, std::uint32_t top, std::string_view words, std::uint32_t size,
            const Colour& colour) {
    for (const char letter : words) {
      const auto& columns = dots_of(letter);
      for (std::uint32_t x = 0; x < kLetterWide * size; ++x)
        for (std::uint32_t y = 0; y < kLetterHigh * size; ++y)
          if ((columns[x / size] >> (y / size) & 1U) != 0) dot(left + x, top + y, colour);
      left += (kLetterWide + 1) * size;
    }
  }
  /// As large as the box allows, in the middle of it.
  void paste(std::uint32_t left, std::uint32_t top, const Picture& picture) {
    std::uint32_t wide = kPictureWide;
    std::uint32_t high = picture.height * kPictureWide / picture.width;
    if (high > kPictureHigh) {
      high = kPictureHigh;
      wide = picture.width * kPictureHigh / picture.height;
    }
    const Picture small = fitted(picture, std::max(wide, high));
    wide = std::max(1U, wide);
    high = std::max(1U, high);
    for (std::uint32_t y = 0; y < high; ++y)
      for (std::uint32_t x = 0; x < wide; ++x)
        dot(left + 1 + (kPictureWide - wide) / 2 + x, top + 1 + (kPictureHigh - high) / 2 + y,
            small.pixels[std::size_t{y * small.height / high} * small.width +
                         x * small.width / wide]);
  }

 private:
  Picture picture_;
};

// The letters are ASCII only.
std::string plain_letters(const std::string& text, std::size_t most) {
  const std::string safe = safe_text(text);
  std::string plain;
  for (std::size_t at = 0; at < safe.size(); at += letter_at(safe, at).bytes)
    plain += letter_at(safe, at).point < 0x80U ? safe[at] : '?';
  return plain.substr(0, most);
}

void draw_cell(Canvas& canvas, const StateSlot* slot, const std::string& name, std::uint32_t left,
               std::uint32_t top) {
  canvas.box(left, top, kBox, slot == nullptr ? kBox : kLine);
  if (slot != nullptr && slot->info.picture)
    canvas.paste(left, top, *slot->info.picture);
  else if (slot != nullptr)
    canvas.text(left + 29, top + 42, "no picture", 1, kQuiet);
  const std::uint32_t below = top + kPictureHigh + 8;
  canvas.text(left + 2, below, name, 2, slot == nullptr ? kQuiet : kTitle);
  if (slot == nullptr) return;
  canvas.text(left + 28, below,
              day_text(slot->modified_ns).substr(2) + " " + clock_text(slot->modified_ns), 1,
              kText);
  canvas.text(left + 28, below + 11,
              slot->findings.empty() ? size_text(slot->size) : std::string("damaged"), 1, kQuiet);
}

std::string cell_name(const StateSlot* slot, unsigned number) {
  return slot != nullptr && slot->slot.empty() ? std::string("-") : std::to_string(number);
}

}  // namespace

BoardRows rows_of(const SlotBoard& board) {
  BoardRows rows;
  const auto row_at = [&](unsigned first) -> std::vector<const StateSlot*>& {
    const auto there = std::ranges::find(rows.first, first);
    if (there != rows.first.end())
      return rows.rows[static_cast<std::size_t>(there - rows.first.begin())];
    rows.first.push_back(first);
    return rows.rows.emplace_back(kAcross, nullptr);
  };
  for (const StateSlot& slot : board.slots) {
    unsigned number = 0;
    std::from_chars(slot.slot.data(), slot.slot.data() + slot.slot.size(), number);
    const unsigned first = number / kAcross * kAcross;
    if (rows.rows.size() == kMostRows && std::ranges::find(rows.first, first) == rows.first.end())
      continue;
    auto& row = row_at(first);
    if (row[number % kAcross] == nullptr) row[number % kAcross] = &slot;
  }
  return rows;
}

std::string day_text(std::int64_t ns) {
  return utc_text(ns).substr(0, std::string_view("2026-01-31").size());
}

std::string clock_text(std::int64_t ns) {
  return utc_text(ns).substr(std::string_view("2026-01-31 ").size(),
                             std::string_view("12:00").size());
}

Result<Bytes> board_png(const std::vector<SlotBoard>& boards) {
  std::uint32_t high = kBoardMargin;
  std::size_t shown = 0;
  for (const SlotBoard& board : boards) {
    const auto rows = static_cast<std::uint32_t>(rows_of(board).rows.size());
    if (high + kTitleHigh + rows * kCellHigh + kBoardGap > kMostHigh) break;
    high += kTitleHigh + rows * kCellHigh + kBoardGap;
    ++shown;
  }
  Canvas canvas(2 * kBoardMargin + kAcross * kCell, high);
  std::uint32_t top = kBoardMargin;
  for (std::size_t i = 0; i < shown; ++i) {
    const SlotBoard& board = boards[i];
    const std::string title = plain_letters(board.title, 80);
    canvas.text(kBoardMargin, top, title, 2, kTitle);
    const auto behind = kBoardMargin + static_cast<std::uint32_t>(title.size() + 1) * 12;
    if (board.system) canvas.text(behind, top + 7, to_string(*board.system), 1, kQuiet);
    top += kTitleHigh;
    const BoardRows rows = rows_of(board);
    for (std::size_t row = 0; row < rows.rows.size(); ++row, top += kCellHigh)
      for (unsigned cell = 0; cell < kAcross; ++cell)
        draw_cell(canvas, rows.rows[row][cell],
                  cell_name(rows.rows[row][cell], rows.first[row] + cell),
                  kBoardMargin + cell * kCell, top);
    top += kBoardGap;
  }
  return png_of(canvas.picture());
}

}  // namespace bayswap::cli
