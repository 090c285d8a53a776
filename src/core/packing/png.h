// Pictures as PNG files.
#pragma once

#include "bayswap/bytes.h"
#include "bayswap/face.h"
#include "bayswap/result.h"

namespace bayswap {

/// 8-bit RGBA at the picture's own size. Errors: `picture-failed`.
[[nodiscard]] Result<Bytes> png_of(const Picture& picture);

[[nodiscard]] bool is_png(ByteView bytes);

/// Decodes a PNG of at most `most_side` pixels each way. Errors: `picture-failed`.
[[nodiscard]] Result<Picture> picture_of_png(ByteView bytes, std::uint32_t most_side);

}  // namespace bayswap
