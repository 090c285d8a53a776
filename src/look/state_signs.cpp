// Signs that a file is a snapshot made by a program.
#include <algorithm>
#include <array>
#include <string_view>

#include "bytes/cursor.h"
#include "bytes/text.h"
#include "look/inspect.h"

namespace bayswap {
namespace {

bool all_digits(std::string_view text) {
  return std::all_of(text.begin(), text.end(), [](char c) { return c >= '0' && c <= '9'; });
}

bool starts_with(ByteView file, std::initializer_list<unsigned> magic) {
  if (file.size() < magic.size()) return false;
  return std::equal(magic.begin(), magic.end(), file.begin(),
                    [](unsigned want, std::byte have) { return want == to_u8(have); });
}

// A PNG that carries more than a picture: a large chunk of its own kind, or bytes behind its end.
bool is_picture_with_more(ByteView file) {
  constexpr std::size_t kStart = 8;
  constexpr std::size_t kMore = 1024;
  if (!starts_with(file, {0x89, 'P', 'N', 'G'})) return false;
  Cursor cursor(file);
  for (std::size_t at = kStart; at + 12 <= file.size();) {
    const std::uint64_t length = cursor.u32be(at);
    if (length > file.size() - at - 12) return false;
    const std::uint32_t type = cursor.u32be(at + 4);
    constexpr std::uint32_t kEnd = 0x49454E44;      // IEND
    constexpr std::uint32_t kPrivate = 0x00200000;  // a small second letter
    if (type == kEnd) return file.size() - at - 12 >= kMore;
    if ((type & kPrivate) != 0 && length >= kMore) return true;
    at += static_cast<std::size_t>(length) + 12;
  }
  return false;
}

// Pictures, sounds, films and papers lie beside saves under the same names.
bool is_media(ByteView file) {
  return starts_with(file, {0x89, 'P', 'N', 'G'}) || starts_with(file, {0xFF, 0xD8, 0xFF}) ||
         starts_with(file, {'G', 'I', 'F', '8'}) || starts_with(file, {'R', 'I', 'F', 'F'}) ||
         starts_with(file, {'O', 'g', 'g', 'S'}) || starts_with(file, {'I', 'D', '3'}) ||
         starts_with(file, {'f', 'L', 'a', 'C'}) || starts_with(file, {'%', 'P', 'D', 'F'}) ||
         (file.size() > 8 && starts_with(file.subspan(4), {'f', 't', 'y', 'p'}));
}

}  // namespace

bool has_state_name(std::string_view file_name) {
  const std::size_t dot = file_name.rfind('.');
  if (dot == std::string_view::npos) return false;
  const std::string extension = lower_ascii(file_name.substr(dot + 1));
  // `state`, `state1`, `st0`: the slot forms of formats.md section 4.
  for (const std::string_view word : {"state", "st"}) {
    if (!extension.starts_with(word)) continue;
    const std::string_view slot = std::string_view(extension).substr(word.size());
    if (all_digits(slot) && (word == "state" || !slot.empty())) return true;
  }
  return false;
}

bool has_state_bytes(ByteView file) {
  return starts_with(file, {0x1F, 0x8B, 0x08}) ||        // gzip
         starts_with(file, {0x28, 0xB5, 0x2F, 0xFD}) ||  // zstd
         starts_with(file, {0x04, 0x22, 0x4D, 0x18}) ||  // lz4 frame
         is_picture_with_more(file);
}

StateSign state_sign(std::string_view name, ByteView file, const std::vector<Guess>& guesses,
                     const Hints& hints) {
  constexpr std::uint64_t kLeast = 8192;  // smaller files are too small for a machine's memory
  if (has_state_name(name)) return StateSign::name;
  if (has_state_bytes(file)) return StateSign::form;
  if (!guesses.empty() || file.size() <= kLeast || !hints.system || is_media(file))
    return StateSign::none;
  std::uint64_t largest_chip = 0;
  if (hints.chips)
    for (const Chip& chip : *hints.chips) largest_chip = std::max(largest_chip, chip.size);
  return file.size() > largest_chip ? StateSign::size : StateSign::none;
}

Finding state_finding(std::string_view why) {
  return {Level::warn, "state-not-save",
          std::string("this is a save state, a snapshot that only the program that made it can "
                      "load (") +
              std::string(why) + ")",
          "start the game from it, save inside the game, and carry the save that appears"};
}

}  // namespace bayswap
