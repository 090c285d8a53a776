// Pictures as PNG files.
#pragma once

#include "bayswap/bytes.h"
#include "bayswap/face.h"
#include "bayswap/result.h"

namespace bayswap {

/// 8-bit RGBA at the picture's own size. Errors: `picture-failed`.
[[nodiscard]] Result<Bytes> png_of(const Picture& picture);

}  // namespace bayswap
