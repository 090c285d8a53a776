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

// What a byte adds to the check when `k` more bytes follow it: table k. Eight bytes are then one
// step, since the check would else take longer than the bytes themselves on a fast link.
constexpr std::size_t kTableBytes = 8;  // bytes
using Tables = std::array<std::array<std::uint16_t, 256>, kTableBytes>;

constexpr Tables make_tables() {
  Tables tables{};
  for (unsigned i = 0; i < 256; ++i) {
    unsigned value = i;
    for (int bit = 0; bit < 8; ++bit)
      value = (value & 1U) != 0 ? value >> 1U ^ 0x8408U : value >> 1U;
    tables[0][i] = static_cast<std::uint16_t>(value);
  }
  for (std::size_t k = 1; k < kTableBytes; ++k)
    for (std::size_t i = 0; i < 256; ++i) {
      const unsigned before = tables[k - 1][i];
      tables[k][i] = static_cast<std::uint16_t>(before >> 8U ^ tables[0][before & 0xFFU]);
    }
  return tables;
}

constexpr unsigned kFcsStart = 0xFFFF;
constexpr unsigned kFcsSound = 0xF0B8;  // over a payload and its check, as RFC 1662 has it

unsigned fcs_over(unsigned value, ByteView bytes) {
  static constexpr auto kTables = make_tables();
  for (; bytes.size() >= kTableBytes; bytes = bytes.subspan(kTableBytes)) {
    // The check so far meets the first two bytes.
    unsigned next = kTables[kTableBytes - 1][(value ^ to_u8(bytes[0])) & 0xFFU];
    next ^= kTables[kTableBytes - 2][(value >> 8U ^ to_u8(bytes[1])) & 0xFFU];
    for (std::size_t i = 2; i < kTableBytes; ++i)
      next ^= kTables[kTableBytes - 1 - i][to_u8(bytes[i])];
    value = next;
  }
  for (const std::byte byte : bytes)
    value = value >> 8U ^ kTables[0][(value ^ to_u8(byte)) & 0xFFU];
  return value;
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
  return static_cast<std::uint16_t>(fcs_over(kFcsStart, bytes) ^ 0xFFFFU);
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
  check_more();
  return std::nullopt;
}

// While the rest of the frame is on its way.
void FrameReader::check_more() {
  fcs_ = fcs_over(fcs_, ByteView(frame_).subspan(checked_));
  checked_ = frame_.size();
}

void FrameReader::end_frame() {
  check_more();
  if (!escaped_ && !too_long_ && frame_.size() > kCheck && fcs_ == kFcsSound) {
    frame_.resize(frame_.size() - kCheck);
    whole_ = std::move(frame_);
  }
  frame_.clear();
  fcs_ = kFcsStart;
  checked_ = 0;
  escaped_ = false;
  too_long_ = false;
}

}  // namespace bayswap
