// Archives assembled by hand.
#pragma once

#include <cstdio>
#include <string>

#include "support/bytes.h"

namespace bayswap::test {

/// Adds a header of 512 bytes and the data padded to 512. `type`: 0 a file, 2 a link to `link`.
inline void add_to_tar(Bytes& tar, const std::string& name, const Bytes& data, char type = '0',
                       const std::string& link = "") {
  Bytes header(512);
  put(header, 0, name);
  put(header, 100, "0000644");
  char size[12];
  std::snprintf(size, sizeof size, "%011o", static_cast<unsigned>(data.size()));
  put(header, 124, size);
  put(header, 136, "15140000000");
  put(header, 148, "        ");
  header[156] = static_cast<std::byte>(type);
  put(header, 157, link);
  put(header, 257, "ustar");
  put(header, 263, "00");
  unsigned sum = 0;
  for (const std::byte byte : header) sum += static_cast<unsigned>(byte);
  char check[8];
  std::snprintf(check, sizeof check, "%06o", sum & 0777777U);
  put(header, 148, check);
  tar.insert(tar.end(), header.begin(), header.end());
  tar.insert(tar.end(), data.begin(), data.end());
  tar.resize((tar.size() + 511) / 512 * 512);
}

/// The two empty blocks that end it.
inline Bytes closed_tar(Bytes tar) {
  tar.resize(tar.size() + 1024);
  return tar;
}

}  // namespace bayswap::test
