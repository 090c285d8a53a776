#include "bytes/encodings.h"

#include <iconv.h>

#include <algorithm>
#include <array>
#include <string_view>

#include "bytes/cursor.h"
#include "bytes/text.h"

namespace bayswap {
namespace {

// Null-terminated text in the code page, as UTF-8.
std::string converted(const char* code_page, ByteView bytes) {
  const auto end = std::find(bytes.begin(), bytes.end(), std::byte{0});
  std::string input;
  for (auto at = bytes.begin(); at != end; ++at) input.push_back(static_cast<char>(*at));
  // NOLINTNEXTLINE(performance-no-int-to-ptr): what iconv_open() gives when it fails
  const auto none = reinterpret_cast<iconv_t>(-1);
  iconv_t converter = iconv_open("UTF-8", code_page);
  if (converter == none) return ascii_text(as_bytes(input));
  std::string text;
  char* in = input.data();
  std::size_t left = input.size();
  while (left > 0) {
    std::array<char, 256> buffer{};
    char* out = buffer.data();
    std::size_t room = buffer.size();
    const std::size_t before = left;
    iconv(converter, &in, &left, &out, &room);
    text.append(buffer.data(), buffer.size() - room);
    if (left > 0 && (room > 8 || left == before)) {
      text.push_back('?');
      ++in;
      --left;
      iconv(converter, nullptr, nullptr, nullptr, nullptr);
    }
  }
  iconv_close(converter);
  return text;
}

}  // namespace

std::string trimmed(std::string text) {
  constexpr std::string_view kWideBlank = "\xE3\x80\x80";
  while (true) {
    if (text.ends_with(' '))
      text.pop_back();
    else if (text.ends_with(kWideBlank))
      text.resize(text.size() - kWideBlank.size());
    else if (text.starts_with(' '))
      text.erase(0, 1);
    else if (text.starts_with(kWideBlank))
      text.erase(0, kWideBlank.size());
    else
      return text;
  }
}

std::string shift_jis_text(ByteView bytes) {
  return trimmed(converted("CP932", bytes));
}

std::optional<Bytes> shift_jis_bytes(std::string_view text) {
  // NOLINTNEXTLINE(performance-no-int-to-ptr): what iconv_open() gives when it fails
  const auto none = reinterpret_cast<iconv_t>(-1);
  iconv_t converter = iconv_open("CP932", "UTF-8");
  if (converter == none) return std::nullopt;
  std::string input(text);
  std::string output(input.size() * 2, '\0');
  char* in = input.data();
  char* out = output.data();
  std::size_t left = input.size();
  std::size_t room = output.size();
  const bool whole = iconv(converter, &in, &left, &out, &room) == 0 && left == 0;
  iconv_close(converter);
  if (!whole) return std::nullopt;
  const ByteView bytes = as_bytes(output).first(output.size() - room);
  return Bytes(bytes.begin(), bytes.end());
}

std::string utf16be_text(ByteView bytes) {
  std::string text;
  const auto unit = [&](std::size_t at) {
    return static_cast<std::uint32_t>(to_u8(bytes[at]) << 8U | to_u8(bytes[at + 1]));
  };
  for (std::size_t at = 0; at + 1 < bytes.size(); at += 2) {
    std::uint32_t letter = unit(at);
    if (letter == 0) break;
    const bool pair = letter >= 0xD800 && letter < 0xDC00 && at + 3 < bytes.size() &&
                      unit(at + 2) >= 0xDC00 && unit(at + 2) < 0xE000;
    if (pair) {
      letter = 0x10000 + ((letter - 0xD800) << 10U) + (unit(at + 2) - 0xDC00);
      at += 2;
    } else if (letter >= 0xD800 && letter < 0xE000) {
      letter = '?';
    }
    const auto put = [&](std::uint32_t value) { text.push_back(static_cast<char>(value)); };
    if (letter < 0x80) {
      put(letter);
    } else if (letter < 0x800) {
      put(0xC0U | letter >> 6U);
      put(0x80U | (letter & 0x3FU));
    } else if (letter < 0x10000) {
      put(0xE0U | letter >> 12U);
      put(0x80U | (letter >> 6U & 0x3FU));
      put(0x80U | (letter & 0x3FU));
    } else {
      put(0xF0U | letter >> 18U);
      put(0x80U | (letter >> 12U & 0x3FU));
      put(0x80U | (letter >> 6U & 0x3FU));
      put(0x80U | (letter & 0x3FU));
    }
  }
  return trimmed(text);
}

std::string latin_text(ByteView bytes) {
  return trimmed(converted("CP1252", bytes));
}

}  // namespace bayswap
