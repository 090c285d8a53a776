// Layouts by their id, which has to exist.
#pragma once

#include "bayswap/layout.h"

namespace bayswap::test {

inline const Layout& layout(std::string_view id) {
  return **find_layout(id);
}

}  // namespace bayswap::test
