// Files of title folders assembled by hand from the facts.
#pragma once

#include <string>
#include <vector>

#include "support/golden_cards.h"

namespace bayswap::test {

struct SfoRow {
  std::string key;
  unsigned type = 0x0204;
  Bytes value;
  std::size_t room = 0;
};

inline Bytes text_value(const std::string& text) {
  Bytes value(text.size() + 1);
  put(value, 0, text);
  return value;
}

inline Bytes golden_sfo(const std::vector<SfoRow>& rows) {
  const std::size_t keys = 20 + rows.size() * 16;
  Bytes key_table;
  Bytes values;
  Bytes index(rows.size() * 16);
  for (std::size_t i = 0; i < rows.size(); ++i) {
    put_le(index, i * 16, key_table.size(), 2);
    put_le(index, i * 16 + 2, rows[i].type, 2);
    put_le(index, i * 16 + 4, rows[i].value.size(), 4);
    put_le(index, i * 16 + 8, rows[i].room, 4);
    put_le(index, i * 16 + 12, values.size(), 4);
    key_table = key_table + text_value(rows[i].key);
    Bytes value = rows[i].value;
    value.resize(rows[i].room);
    values = values + value;
  }
  key_table.resize((key_table.size() + 3) / 4 * 4);
  Bytes header(20);
  put(header, 1, "PSF");
  put_le(header, 4, 0x101, 4);
  put_le(header, 8, keys, 4);
  put_le(header, 12, keys + key_table.size(), 4);
  put_le(header, 16, rows.size(), 4);
  return header + index + key_table + values;
}

inline Bytes usual_sfo(const std::string& directory) {
  Bytes level(4);
  level[0] = std::byte{7};
  return golden_sfo({{"CATEGORY", 0x0204, text_value("MS"), 4},
                     {"PARENTAL_LEVEL", 0x0404, level, 4},
                     {"SAVEDATA_DETAIL", 0x0204, text_value("2nd place"), 1024},
                     {"SAVEDATA_DIRECTORY", 0x0204, text_value(directory), 64},
                     {"SAVEDATA_PARAMS", 0x0004, filled(16, 9), 128},
                     {"SAVEDATA_TITLE", 0x0204, text_value("Cup, race 9"), 128},
                     {"TITLE", 0x0204, text_value("Saltmarsh Circuit"), 128}});
}

}  // namespace bayswap::test
