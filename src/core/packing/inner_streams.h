// Compressed runs inside a state: programs often pack its sections, not the whole.
#pragma once

#include <vector>

#include "bayswap/bytes.h"
#include "bayswap/state.h"

namespace bayswap {

struct InnerStream {
  std::size_t offset = 0;
  Packing packing = Packing::zlib;
  Bytes bytes;
  std::size_t packed_size = 0;  ///< bytes of the content that it takes
};

/// The runs that end well, in order; at most 64, and 256 MiB in all.
[[nodiscard]] std::vector<InnerStream> streams_in(ByteView content);

}  // namespace bayswap
