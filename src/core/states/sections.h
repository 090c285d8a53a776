// Sections of a state: tags and lengths one behind the other, as many programs write them.
#pragma once

#include <string>
#include <vector>

#include "bayswap/bytes.h"

namespace bayswap {

struct Section {
  std::string tag;  ///< four printable letters
  std::size_t offset = 0;
  std::size_t size = 0;  ///< bytes of its data
};

/// The sections that fill the content from behind a short header to its end. Empty when it is not
/// made of such.
[[nodiscard]] std::vector<Section> sections_of(ByteView content);

}  // namespace bayswap
