#include "core/ordinary/plain_text.h"

#include <algorithm>
#include <array>
#include <cstdint>

#include "core/bytes/cursor.h"
#include "core/bytes/text.h"

namespace bayswap {
namespace {

constexpr std::size_t kSample = 4096;  // bytes at the start, in the middle and at the end
constexpr std::size_t kLongRun = 32;   // filler of a chip; a rule in a text is drawn with ASCII

constexpr bool is_word_letter(std::uint32_t c) {
  return (c >= 'a' && c <= 'z') || (c >= 'A' && c <= 'Z') || (c >= '0' && c <= '9');
}

// Tab, line ends, backspace (manual pages), form feed, escape (coloured logs, ISO-2022) and the
// end mark of old systems.
constexpr bool is_text_control(std::uint32_t c) {
  return c == '\t' || c == '\n' || c == '\r' || c == '\b' || c == '\f' || c == 0x1B || c == 0x1A;
}

constexpr bool is_blank_letter(std::uint32_t c) {
  return c == ' ' || c == '\n' || c == '\r' || c == '\t' || c == 0x3000 || c == 0x3001 ||
         c == 0x3002;
}

bool has_long_high_run(ByteView bytes) {
  std::size_t run = 0;
  for (std::size_t i = 1; i < bytes.size(); ++i) {
    run = bytes[i] == bytes[i - 1] && to_u8(bytes[i]) >= 0x7F ? run + 1 : 0;
    if (run >= kLongRun) return true;
  }
  return false;
}

// Encodings of one byte or several: no control characters, and words with blanks between them.
bool is_byte_text(ByteView bytes) {
  enum Class : std::uint8_t { control, high, blank, word, sign };
  static constexpr auto kClasses = [] {
    std::array<Class, 256> classes{};
    for (unsigned c = 0; c < 256; ++c)
      classes[c] = c >= 0x80                                        ? high
                   : is_blank_letter(c)                             ? blank
                   : c == 0x7F || (c < 0x20 && !is_text_control(c)) ? control
                   : is_word_letter(c)                              ? word
                                                                    : sign;
    return classes;
  }();
  constexpr std::size_t kShort = 64;  // bytes; random ones pass by chance
  std::array<std::size_t, 5> counts{};
  for (const std::byte byte : bytes) {
    const Class of = kClasses[to_u8(byte)];
    if (of == control) return false;
    ++counts[of];
  }
  if (counts[high] == 0) return counts[word] + counts[blank] > 0;
  if (is_utf8(bytes)) return true;
  constexpr std::size_t kLettersToABlank = 256;
  return bytes.size() >= kShort && counts[blank] * kLettersToABlank >= bytes.size() &&
         !has_long_high_run(bytes);
}

// UTF-16 and UTF-32: whole letters, none of them a control character, half a pair or of private
// use, and blanks between them. Random bytes and numbers fail within a few letters.
template <std::size_t Width>
bool is_wide_text(ByteView bytes, bool big_endian) {
  constexpr std::size_t kLeastLetters = 8;
  const std::size_t count = bytes.size() / Width;
  if (count < kLeastLetters) return false;
  Cursor cursor(bytes);
  std::array<std::uint32_t, kLeastLetters> different{};
  std::size_t found = 0;
  std::size_t blanks = 0;
  bool pair_open = false;
  for (std::size_t i = 0; i < count; ++i) {
    const std::size_t at = i * Width;
    std::uint32_t c = 0;
    if constexpr (Width == 2)
      c = big_endian ? cursor.u16be(at) : cursor.u16le(at);
    else
      c = big_endian ? cursor.u32be(at) : cursor.u32le(at);
    if (c == 0xFEFF && i == 0) continue;
    const bool second_half = Width == 2 && c >= 0xDC00 && c < 0xE000;
    if (second_half != pair_open) return false;
    pair_open = Width == 2 && c >= 0xD800 && c < 0xDC00;
    if ((c < 0x20 && !is_text_control(c)) || (c >= 0xE000 && c < 0xF900) || c == 0xFFFE ||
        c == 0xFFFF || c > 0x10FFFF)
      return false;
    if (is_blank_letter(c)) ++blanks;
    const auto end = different.begin() + static_cast<std::ptrdiff_t>(found);
    if (found < kLeastLetters && std::find(different.begin(), end, c) == end)
      different[found++] = c;
  }
  return blanks > 0 && found == kLeastLetters;
}

bool is_text_piece(ByteView bytes) {
  if (bytes.empty()) return false;
  if (is_byte_text(bytes)) return true;
  return is_wide_text<2>(bytes, false) || is_wide_text<2>(bytes, true) ||
         is_wide_text<4>(bytes, false) || is_wide_text<4>(bytes, true);
}

// Pieces of a long text may begin within a letter.
ByteView from_whole_letter(ByteView piece) {
  while (!piece.empty() && (to_u8(piece.front()) & 0xC0U) == 0x80) piece = piece.subspan(1);
  return piece;
}

ByteView to_whole_letter(ByteView piece) {
  std::size_t back = 0;
  while (back < 4 && back < piece.size() && (to_u8(piece[piece.size() - 1 - back]) & 0xC0U) == 0x80)
    ++back;
  return back < piece.size() && to_u8(piece[piece.size() - 1 - back]) >= 0xC0
             ? piece.first(piece.size() - 1 - back)
             : piece;
}

bool is_text_piece_of(ByteView file, std::size_t from) {
  const ByteView piece = file.subspan(from, std::min(kSample, file.size() - from));
  if (piece.size() == file.size()) return is_text_piece(piece);
  return is_text_piece(piece) || is_text_piece(to_whole_letter(from_whole_letter(piece)));
}

}  // namespace

bool is_plain_text(ByteView file) {
  if (file.empty() || !is_text_piece_of(file, 0)) return false;
  if (file.size() <= kSample) return true;
  constexpr std::size_t kUnit = 4;  // wide letters stay whole
  const std::size_t middle = file.size() / 2 / kUnit * kUnit;
  const std::size_t last = (file.size() - kSample) / kUnit * kUnit;
  return is_text_piece_of(file, middle) && is_text_piece_of(file, last);
}

}  // namespace bayswap
