#include "core/bytes/encodings.h"

#include <iconv.h>

#include <algorithm>
#include <array>
#include <string_view>

#include "core/bytes/cursor.h"
#include "core/bytes/text.h"

namespace bayswap {
namespace {

// Text in the code page as UTF-8. What stands for nothing is passed over in steps of `unit` bytes.
std::string converted(const char* code_page, ByteView bytes, std::size_t unit) {
  std::string input;
  for (const std::byte byte : bytes) input.push_back(static_cast<char>(byte));
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
      const std::size_t skipped = std::min(unit, left);
      in += skipped;
      left -= skipped;
      iconv(converter, nullptr, nullptr, nullptr, nullptr);
    }
  }
  iconv_close(converter);
  return text;
}

ByteView up_to_nul(ByteView bytes) {
  return {bytes.begin(), std::find(bytes.begin(), bytes.end(), std::byte{0})};
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
  return trimmed(converted("CP932", up_to_nul(bytes), 1));
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
  std::size_t length = 0;
  while (length + 1 < bytes.size() && Cursor(bytes).u16be(length) != 0) length += 2;
  return trimmed(converted("UTF-16BE", bytes.first(length), 2));
}

std::string dos_text(ByteView bytes) {
  return converted("CP437", up_to_nul(bytes), 1);
}

std::string latin_text(ByteView bytes) {
  return trimmed(converted("CP1252", up_to_nul(bytes), 1));
}

}  // namespace bayswap
