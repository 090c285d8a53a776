#include "readers/frames.h"

#include <algorithm>
#include <array>
#include <cstring>
#include <utility>

#include "core/bytes/cursor.h"

namespace bayswap {
namespace {

constexpr std::byte kFlag{0x7E};
constexpr std::byte kEscape{0x7D};
constexpr std::byte kTurned{0x20};
constexpr std::size_t kCheck = 2;  // bytes

constexpr std::array<std::uint16_t, 256> make_table() {
  std::array<std::uint16_t, 256> table{};
  for (unsigned i = 0; i < table.size(); ++i) {
    unsigned value = i;
    for (int bit = 0; bit < 8; ++bit)
      value = (value & 1U) != 0 ? value >> 1U ^ 0x8408U : value >> 1U;
    table[i] = static_cast<std::uint16_t>(value);
  }
  return table;
}

bool is_special(std::byte value) {
  return value == kFlag || value == kEscape;
}

void put_stuffed(ByteView bytes, Bytes& into) {
  for (std::size_t at = 0; at < bytes.size();) {
    const ByteView rest = bytes.subspan(at);
    const auto plain =
        static_cast<std::size_t>(std::ranges::find_if(rest, is_special) - rest.begin());
    into.insert(into.end(), rest.begin(), rest.begin() + static_cast<std::ptrdiff_t>(plain));
    at += plain;
    if (at == bytes.size()) break;
    into.push_back(kEscape);
    into.push_back(bytes[at++] ^ kTurned);
  }
}

}  // namespace

std::uint16_t fcs16(ByteView bytes) {
  static constexpr auto kTable = make_table();
  unsigned value = 0xFFFF;
  for (const std::byte byte : bytes) value = value >> 8U ^ kTable[(value ^ to_u8(byte)) & 0xFFU];
  return static_cast<std::uint16_t>(value ^ 0xFFFFU);
}

Bytes framed(ByteView payload) {
  Bytes frame;
  frame.reserve(payload.size() + payload.size() / 64 + 8);
  frame.push_back(kFlag);
  put_stuffed(payload, frame);
  std::array<std::byte, kCheck> check{};
  store_le(check, fcs16(payload));
  put_stuffed(check, frame);
  frame.push_back(kFlag);
  return frame;
}

void FrameReader::push(ByteView bytes) {
  waiting_.erase(waiting_.begin(), waiting_.begin() + static_cast<std::ptrdiff_t>(read_));
  read_ = 0;
  waiting_.insert(waiting_.end(), bytes.begin(), bytes.end());
}

std::optional<Bytes> FrameReader::next() {
  while (read_ < waiting_.size()) {
    const ByteView rest = ByteView(waiting_).subspan(read_);
    if (!escaped_ && !is_special(rest.front())) {
      const auto plain =
          static_cast<std::size_t>(std::ranges::find_if(rest, is_special) - rest.begin());
      read_ += plain;
      too_long_ = too_long_ || frame_.size() + plain > kLongestFrame;
      if (!too_long_)
        frame_.insert(frame_.end(), rest.begin(),
                      rest.begin() + static_cast<std::ptrdiff_t>(plain));
      continue;
    }
    const std::byte byte = waiting_[read_++];
    if (byte == kFlag) {
      end_frame();
      if (whole_) return std::exchange(whole_, std::nullopt);
    } else if (escaped_) {
      escaped_ = false;
      too_long_ = too_long_ || frame_.size() == kLongestFrame;
      if (!too_long_) frame_.push_back(byte ^ kTurned);
    } else {
      escaped_ = true;
    }
  }
  return std::nullopt;
}

void FrameReader::end_frame() {
  const bool sound = !escaped_ && !too_long_ && frame_.size() > kCheck;
  if (sound) {
    const ByteView payload = ByteView(frame_).first(frame_.size() - kCheck);
    if (Cursor(frame_).u16le(payload.size()) == fcs16(payload))
      whole_ = Bytes(payload.begin(), payload.end());
  }
  frame_.clear();
  escaped_ = false;
  too_long_ = false;
}

}  // namespace bayswap
