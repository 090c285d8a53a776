#include "places/state_signs.h"

#include <algorithm>
#include <array>

#include "core/bytes/cursor.h"
#include "core/bytes/text.h"
#include "core/ordinary/ordinary_file.h"
#include "core/packing/packing.h"
#include "core/states/sections.h"
#include "core/states/state_picture.h"

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

// A PNG that carries a machine's memory: a large chunk of its own kind, or bytes behind its end.
// Drawing programs have such chunks, too, but small ones beside their pictures.
bool is_picture_with_more(ByteView file) {
  constexpr std::size_t kStart = 8;
  constexpr std::size_t kMore = 4096;
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

// Called as files are that somebody packed: `game.zip`, `game.sav.gz`.
bool bears_packed_extension(std::string_view name) {
  const std::string extension = lower_ascii(name.substr(std::min(name.rfind('.'), name.size())));
  static constexpr std::array<std::string_view, 9> kPacked{".gz",  ".zip", ".zst", ".lz4", ".zlib",
                                                           ".tgz", ".jar", ".z",   ".svgz"};
  return std::ranges::find(kPacked, extension) != kPacked.end();
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

bool has_state_bytes(ByteView file) {
  const Packing packing = packing_of(file);
  // A zip is an archive, unless its name says more.
  return (packing != Packing::plain && packing != Packing::zip) || is_picture_with_more(file);
}

namespace {

// Sections with tags, or a picture with a machine's memory in it. What is packed is judged by what
// is inside, where it is to be unpacked.
bool has_state_form(ByteView file, const StateContext& context) {
  const Packing packing = packing_of(file);
  if (packing == Packing::plain)
    return is_picture_with_more(file) || (context.ordinary.empty() && !sections_of(file).empty());
  if (!context.thorough || packing == Packing::zip) return false;
  constexpr std::uint64_t kMost = 16U << 20U;
  const auto inside = unpack(file, packing, kMost, AtLimit::cut, {});
  if (!inside || !ordinary_file(inside->bytes).words.empty()) return false;
  return !sections_of(inside->bytes).empty() || picture_in(inside->bytes).has_value();
}

}  // namespace

StateSign state_sign(std::string_view name, ByteView file, const std::vector<Guess>& guesses,
                     const StateContext& context) {
  constexpr std::uint64_t kLeast = 8192;  // smaller files are too small for a machine's memory
  const bool packed = packing_of(file) != Packing::plain;
  const bool picture = is_picture_with_more(file);
  // Pictures, sounds, films, papers and texts lie beside saves under the same names.
  if (!packed && !picture && !context.ordinary.empty()) return StateSign::none;
  if (has_state_name(name)) return StateSign::name;
  const bool proven = !guesses.empty() && guesses.front().basis == Basis::structure;
  if (proven || file.empty()) return StateSign::none;
  const bool zip = packing_of(file) == Packing::zip;
  if (!zip && guesses.empty() && has_state_form(file, context)) return StateSign::form;
  if ((zip && !context.hints.system) || (packed && bears_packed_extension(name)))
    return StateSign::none;
  const bool slot = ends_in_slot(name);
  if (slot && packed && (context.hints.system || context.slots_beside)) return StateSign::size;
  if (!guesses.empty() || (file.size() <= kLeast && !packed)) return StateSign::none;
  if (!context.hints.system)
    return slot && context.slots_beside ? StateSign::size : StateSign::none;
  std::uint64_t largest_chip = 0;
  if (context.hints.chips)
    for (const Chip& chip : *context.hints.chips) largest_chip = std::max(largest_chip, chip.size);
  return packed || file.size() > largest_chip ? StateSign::size : StateSign::none;
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
