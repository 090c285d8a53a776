#include "cli/render/slot_board.h"

#include <fmt/format.h>
#include <gd.h>
#include <gdfontl.h>
#include <gdfonts.h>

#include <algorithm>
#include <charconv>
#include <chrono>
#include <memory>

#include "bytes/text.h"

namespace bayswap::cli {
namespace {

constexpr unsigned kAcross = 10;
constexpr unsigned kMostRows = 10;
constexpr int kCell = 124;  // pixels
constexpr int kPictureWide = 116;
constexpr int kPictureHigh = 90;
constexpr int kCellHigh = kPictureHigh + 50;
constexpr int kMargin = 20;
constexpr int kTitleHigh = 32;
constexpr int kMostHigh = 16'000;  // pixels of the whole picture

using Image = std::unique_ptr<gdImage, void (*)(gdImage*)>;

struct Colours {
  int ground, box, line, title, text, quiet;
};

Colours colours_in(gdImage* image) {
  return {gdImageColorAllocate(image, 24, 26, 31),    gdImageColorAllocate(image, 34, 37, 44),
          gdImageColorAllocate(image, 70, 76, 88),    gdImageColorAllocate(image, 240, 240, 240),
          gdImageColorAllocate(image, 200, 204, 212), gdImageColorAllocate(image, 120, 126, 138)};
}

// The built-in letters know ASCII only.
std::string plain_letters(const std::string& text, std::size_t most) {
  std::string plain;
  for (const char c : safe_text(text))
    if ((static_cast<unsigned char>(c) & 0xC0U) != 0x80U)
      plain += static_cast<unsigned char>(c) < 0x80U ? c : '?';
  return plain.substr(0, most);
}

void write_text(gdImage* image, gdFont* font, int x, int y, const std::string& text, int colour) {
  std::string letters = text;
  gdImageString(image, font, x, y, reinterpret_cast<unsigned char*>(letters.data()), colour);
}

void draw_picture(gdImage* image, const Picture& picture, int left, int top) {
  const Image source(
      gdImageCreateTrueColor(static_cast<int>(picture.width), static_cast<int>(picture.height)),
      gdImageDestroy);
  if (source == nullptr) return;
  for (int y = 0; y < gdImageSY(source.get()); ++y)
    for (int x = 0; x < gdImageSX(source.get()); ++x) {
      const Colour& pixel =
          picture.pixels[static_cast<std::size_t>(y) * picture.width + static_cast<std::size_t>(x)];
      gdImageSetPixel(source.get(), x, y, gdTrueColor(pixel.red, pixel.green, pixel.blue));
    }
  const int wide = gdImageSX(source.get());
  const int high = gdImageSY(source.get());
  int shown_wide = kPictureWide;
  int shown_high = high * kPictureWide / wide;
  if (shown_high > kPictureHigh) {
    shown_high = kPictureHigh;
    shown_wide = wide * kPictureHigh / high;
  }
  gdImageCopyResampled(image, source.get(), left + (kPictureWide - shown_wide) / 2,
                       top + (kPictureHigh - shown_high) / 2, 0, 0, std::max(1, shown_wide),
                       std::max(1, shown_high), wide, high);
}

void draw_cell(gdImage* image, const Colours& colours, const StateSlot* slot,
               const std::string& name, int left, int top) {
  constexpr int kText = 4;
  gdImageFilledRectangle(image, left, top, left + kPictureWide, top + kPictureHigh, colours.box);
  if (slot != nullptr && slot->info.picture) draw_picture(image, *slot->info.picture, left, top);
  if (slot != nullptr && !slot->info.picture)
    write_text(image, gdFontGetSmall(), left + 32, top + 38, "no picture", colours.quiet);
  gdImageRectangle(image, left, top, left + kPictureWide, top + kPictureHigh,
                   slot == nullptr ? colours.box : colours.line);
  const int below = top + kPictureHigh + kText;
  write_text(image, gdFontGetLarge(), left, below, name,
             slot == nullptr ? colours.quiet : colours.title);
  if (slot == nullptr) return;
  write_text(
      image, gdFontGetSmall(), left + 28, below + 1,
      fmt::format("{} {}", day_text(slot->modified_ns).substr(5), clock_text(slot->modified_ns)),
      colours.text);
  write_text(image, gdFontGetSmall(), left + 28, below + 15,
             slot->findings.empty() ? size_text(slot->size) : "damaged", colours.quiet);
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
  const auto time = std::chrono::sys_time<std::chrono::nanoseconds>(std::chrono::nanoseconds(ns));
  const std::chrono::year_month_day date{std::chrono::floor<std::chrono::days>(time)};
  return fmt::format("{:04}-{:02}-{:02}", static_cast<int>(date.year()),
                     static_cast<unsigned>(date.month()), static_cast<unsigned>(date.day()));
}

std::string clock_text(std::int64_t ns) {
  const auto time = std::chrono::sys_time<std::chrono::nanoseconds>(std::chrono::nanoseconds(ns));
  const std::chrono::hh_mm_ss clock{time - std::chrono::floor<std::chrono::days>(time)};
  return fmt::format("{:02}:{:02}", clock.hours().count(), clock.minutes().count());
}

Result<Bytes> board_png(const std::vector<SlotBoard>& boards) {
  int high = kMargin;
  std::size_t shown = 0;
  for (const SlotBoard& board : boards) {
    const int more = kTitleHigh + static_cast<int>(rows_of(board).rows.size()) * kCellHigh + 12;
    if (high + more > kMostHigh) break;
    high += more;
    ++shown;
  }
  const Image image(gdImageCreateTrueColor(2 * kMargin + static_cast<int>(kAcross) * kCell, high),
                    gdImageDestroy);
  if (image == nullptr)
    return fail(Trouble::place, "picture-failed", "the slot board could not be drawn");
  const Colours colours = colours_in(image.get());
  gdImageFilledRectangle(image.get(), 0, 0, gdImageSX(image.get()), gdImageSY(image.get()),
                         colours.ground);
  int top = kMargin;
  for (std::size_t i = 0; i < shown; ++i) {
    const SlotBoard& board = boards[i];
    write_text(image.get(), gdFontGetLarge(), kMargin, top, plain_letters(board.title, 120),
               colours.title);
    if (board.system)
      write_text(image.get(), gdFontGetSmall(),
                 kMargin + 8 * static_cast<int>(plain_letters(board.title, 120).size()) + 16,
                 top + 2, std::string(to_string(*board.system)), colours.quiet);
    top += kTitleHigh;
    const BoardRows rows = rows_of(board);
    for (std::size_t row = 0; row < rows.rows.size(); ++row, top += kCellHigh)
      for (unsigned cell = 0; cell < kAcross; ++cell)
        draw_cell(image.get(), colours, rows.rows[row][cell],
                  cell_name(rows.rows[row][cell], rows.first[row] + cell),
                  kMargin + static_cast<int>(cell) * kCell, top);
    top += 12;
  }
  int size = 0;
  const std::unique_ptr<void, void (*)(void*)> png(gdImagePngPtr(image.get(), &size), gdFree);
  if (png == nullptr)
    return fail(Trouble::place, "picture-failed", "the slot board could not be packed");
  const auto* start = static_cast<const std::byte*>(png.get());
  return Bytes(start, start + size);
}

}  // namespace bayswap::cli
