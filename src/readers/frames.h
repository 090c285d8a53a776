// Frames of the reader link: payloads in a stream of bytes, by RFC 1662 in its asynchronous form
// without address, control and protocol fields. docs/reader-link.md describes the whole link.
#pragma once

#include <cstdint>
#include <optional>

#include "bayswap/bytes.h"

namespace bayswap {

/// The longest frame between its flags, unstuffed, with the check at its end; in bytes.
inline constexpr std::size_t kLongestFrame = 65'536;

/// FCS-16 of RFC 1662, appendix C.
[[nodiscard]] std::uint16_t fcs16(ByteView bytes);

/// The payload between two flags.
[[nodiscard]] Bytes framed(ByteView payload);

/// Takes the payloads out of a stream, whichever way it is cut. Frames that are too long, have a
/// wrong check or end in an escape are left out in silence, as the link wants it.
class FrameReader {
 public:
  /// What was received next.
  void push(ByteView bytes);
  /// The next whole payload; nothing when there is none yet.
  [[nodiscard]] std::optional<Bytes> next();

 private:
  void check_more();
  void end_frame();

  Bytes waiting_;          // received and not yet looked at
  std::size_t read_ = 0;   // of it
  Bytes frame_;            // unstuffed so far
  unsigned fcs_ = 0xFFFF;  // over its first `checked_` bytes
  std::size_t checked_ = 0;
  bool escaped_ = false;
  bool too_long_ = false;
  std::optional<Bytes> whole_;
};

}  // namespace bayswap
