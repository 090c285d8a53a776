// Signs that a file is a snapshot made by a program.
#include <algorithm>
#include <array>
#include <string_view>

#include "core/bytes/cursor.h"
#include "core/bytes/text.h"
#include "core/packing/packing.h"
#include "places/inspect.h"

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

// Letters and a slot as the extension, or a slot alone: `game.ss3`, `game.004`.
bool ends_in_slot(std::string_view name) {
  constexpr std::size_t kMostLetters = 6;
  constexpr std::size_t kMostDigits = 3;
  const std::size_t dot = name.rfind('.');
  if (dot == std::string_view::npos || dot == 0) return false;
  const std::string_view extension = name.substr(dot + 1);
  const std::size_t letters = std::min(extension.find_first_of("0123456789"), extension.size());
  const std::string_view digits = extension.substr(letters);
  return letters <= kMostLetters && !digits.empty() && digits.size() <= kMostDigits &&
         all_digits(digits);
}

bool is_text(ByteView file) {
  constexpr std::size_t kSample = 512;
  const ByteView start = file.first(std::min(kSample, file.size()));
  return std::ranges::all_of(start, [](std::byte value) {
    return to_u8(value) >= 0x20 || value == std::byte{'\n'} || value == std::byte{'\r'} ||
           value == std::byte{'\t'};
  });
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
  const Packing packing = packing_of(file);
  // A zip is an archive, unless its name says more.
  return (packing != Packing::plain && packing != Packing::zip) || is_picture_with_more(file);
}

StateSign state_sign(std::string_view name, ByteView file, const std::vector<Guess>& guesses,
                     const Hints& hints) {
  constexpr std::uint64_t kLeast = 8192;  // smaller files are too small for a machine's memory
  if (has_state_name(name)) return StateSign::name;
  if (has_state_bytes(file)) return StateSign::form;
  if (!guesses.empty() || file.size() <= kLeast || is_media(file)) return StateSign::none;
  if (!hints.system)
    return ends_in_slot(name) && !is_text(file) ? StateSign::size : StateSign::none;
  std::uint64_t largest_chip = 0;
  if (hints.chips)
    for (const Chip& chip : *hints.chips) largest_chip = std::max(largest_chip, chip.size);
  return file.size() > largest_chip ? StateSign::size : StateSign::none;
}

Finding state_finding(std::string_view why) {
  return {Level::warn,
          Code::state_not_save,
          std::string("this is a save state, a snapshot that only the program that made it can "
                      "load (") +
              std::string(why) + ")",
          {"start the game from it, save inside the game, and carry the save that appears; where "
           "that program is gone: ",
           Remedy::dig_state}};
}

}  // namespace bayswap
