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
         starts_with(file, {0x89, 'P', 'N', 'G'});
}

Finding state_finding(std::string_view why) {
  return {Level::warn, "state-not-save",
          std::string("this is a save state, a snapshot that only the program that made it can "
                      "load (") +
              std::string(why) + ")",
          "start the game from it, save inside the game, and carry the save that appears"};
}

}  // namespace bayswap
