// Small cards assembled by hand from the facts, without any code of the library.
#pragma once

#include <algorithm>
#include <cstdint>
#include <string>
#include <vector>

#include "support/golden_cards.h"

namespace bayswap::test {

// n64 controller pak

struct PakNote {
  std::string code = "NGPE";
  std::string maker = "BS";
  std::vector<unsigned> name;       ///< in the console's code
  std::vector<unsigned> extension;  ///< likewise
  std::vector<unsigned> pages;      ///< absolute, from 5 on
  Bytes data;
};

inline void seal_pak_index(Bytes& pak, std::size_t table) {
  unsigned sum = 0;
  for (std::size_t i = 10; i < 256; ++i) sum += static_cast<unsigned>(pak[table + i]);
  put(pak, table + 1, sum & 0xFFU);
}

inline void put_pak_id(Bytes& pak, std::size_t at) {
  for (unsigned i = 0; i < 24; ++i) put(pak, at + i, 0x30 + i);
  put_be(pak, at + 0x18, 1, 2);
  put(pak, at + 0x1A, 1);
  unsigned sum = 0;
  for (std::size_t i = 0; i < 28; i += 2) sum += static_cast<unsigned>(get_be(pak, at + i, 2));
  put_be(pak, at + 0x1C, sum & 0xFFFFU, 2);
  put_be(pak, at + 0x1E, (0xFFF2U - sum) & 0xFFFFU, 2);
}

inline Bytes golden_pak(const std::vector<PakNote>& notes) {
  Bytes pak(32768);
  for (const std::size_t at : {0x20U, 0x60U, 0x80U, 0xC0U}) put_pak_id(pak, at);
  for (std::size_t page = 5; page < 128; ++page) put_be(pak, 0x100 + page * 2, 3, 2);
  for (std::size_t i = 0; i < notes.size(); ++i) {
    const PakNote& note = notes[i];
    const std::size_t at = 0x300 + i * 32;
    put(pak, at, note.code);
    put(pak, at + 4, note.maker);
    put_be(pak, at + 6, note.pages.at(0), 2);
    put(pak, at + 8, 2U);
    for (std::size_t k = 0; k < note.extension.size(); ++k)
      put(pak, at + 0x0C + k, note.extension[k]);
    for (std::size_t k = 0; k < note.name.size(); ++k) put(pak, at + 0x10 + k, note.name[k]);
    for (std::size_t k = 0; k < note.pages.size(); ++k) {
      put_be(pak, 0x100 + note.pages[k] * 2, k + 1 < note.pages.size() ? note.pages[k + 1] : 1, 2);
      put(pak, note.pages[k] * 256, part_of(note.data, k * 256, 256));
    }
  }
  seal_pak_index(pak, 0x100);
  put(pak, 0x200, part_of(pak, 0x100, 256));
  return pak;
}

// dc memory card

/// CRC-16 with the polynomial 1021, highest bit first, bit by bit.
inline unsigned crc_1021(const Bytes& bytes, std::size_t size) {
  unsigned crc = 0;
  for (std::size_t i = 0; i < size; ++i)
    for (unsigned bit = 8; bit-- > 0;) {
      const unsigned in = (static_cast<unsigned>(bytes[i]) >> bit & 1U) ^ (crc >> 15U & 1U);
      crc = (crc << 1U & 0xFFFFU) ^ (in != 0 ? 0x1021U : 0U);
    }
  return crc;
}

/// A save of whole blocks: header, icons, data, and its check. A game's header is in its second
/// block, and has no check.
inline Bytes dc_data(unsigned icons, std::size_t size, std::uint32_t seed, bool game = false) {
  const std::size_t covered = 0x80 + std::size_t{icons} * 512 + size;
  Bytes data(covered);
  put(data, 0, "SAVED GAME");
  put(data, 0x10, "Pocket Regatta, day 3");
  put(data, 0x30, "REGATTA");
  put_le(data, 0x40, icons, 2);
  put_le(data, 0x42, 8, 2);
  put_le(data, 0x48, size, 4);
  for (unsigned i = 0; i < 16; ++i) put_le(data, 0x60 + i * 2, 0xF000U | i * 0x111U, 2);
  put(data, 0x80, random_bytes(icons * 512 + size, seed));
  put_le(data, 0x46, crc_1021(data, covered), 2);
  data.resize((covered + 511) / 512 * 512);
  if (game) {
    put_le(data, 0x46, 0, 2);
    data.insert(data.begin(), 512, std::byte{0x4A});
  }
  return data;
}

struct DcSave {
  std::string name;
  unsigned type = 0x33;
  std::vector<unsigned> blocks;
  Bytes data;
};

inline Bytes golden_dc(const std::vector<DcSave>& saves) {
  Bytes card(131072);
  const std::size_t root = 255 * 512;
  const std::size_t table = 254 * 512;
  for (std::size_t i = 0; i < 16; ++i) put(card, root + i, 0x55U);
  put_le(card, root + 0x46, 254, 2);
  put_le(card, root + 0x48, 1, 2);
  put_le(card, root + 0x4A, 253, 2);
  put_le(card, root + 0x4C, 13, 2);
  put_le(card, root + 0x50, 200, 2);
  for (std::size_t block = 0; block < 256; ++block) put_le(card, table + block * 2, 0xFFFC, 2);
  put_le(card, table + 255 * 2, 0xFFFA, 2);
  put_le(card, table + 254 * 2, 0xFFFA, 2);
  for (std::size_t block = 253; block > 241; --block) put_le(card, table + block * 2, block - 1, 2);
  put_le(card, table + 241 * 2, 0xFFFA, 2);
  for (std::size_t i = 0; i < saves.size(); ++i) {
    const DcSave& save = saves[i];
    const std::size_t at = (253 - i / 16) * 512 + i % 16 * 32;
    put(card, at, save.type);
    put_le(card, at + 2, save.blocks.at(0), 2);
    put(card, at + 4, save.name);
    put(card, at + 0x10, bytes({0x20, 0x26, 0x03, 0x14, 0x15, 0x09, 0x26, 0x05}));
    put_le(card, at + 0x18, save.blocks.size(), 2);
    put_le(card, at + 0x1A, save.type == 0xCC ? 1 : 0, 2);
    for (std::size_t k = 0; k < save.blocks.size(); ++k) {
      put_le(card, table + save.blocks[k] * 2,
             k + 1 < save.blocks.size() ? save.blocks[k + 1] : 0xFFFA, 2);
      put(card, save.blocks[k] * 512, part_of(save.data, k * 512, 512));
    }
  }
  return card;
}

// saturn backup memory

struct SaturnSave {
  std::string name;
  std::string comment;
  unsigned language = 1;
  unsigned minutes = 0;          ///< since 1980-01-01
  std::vector<unsigned> blocks;  ///< absolute, from 2 on
  Bytes data;
};

inline Bytes saturn_header(const SaturnSave& save) {
  Bytes header(30);
  put(header, 0, save.name);
  put(header, 11, save.language);
  put(header, 12, save.comment);
  put_be(header, 22, save.minutes, 4);
  put_be(header, 26, save.data.size(), 4);
  return header;
}

inline Bytes golden_saturn(bool cartridge, const std::vector<SaturnSave>& saves) {
  const std::size_t each = cartridge ? 512 : 64;
  Bytes memory(cartridge ? 524288 : 32768);
  for (std::size_t at = 0; at + 16 <= each; at += 16) put(memory, at, "BackUpRam Format");
  for (const SaturnSave& save : saves) {
    Bytes stream = saturn_header(save);
    Bytes list((save.blocks.size() - 1) * 2 + 2);
    for (std::size_t i = 1; i < save.blocks.size(); ++i)
      put_be(list, (i - 1) * 2, save.blocks[i], 2);
    stream = stream + list + save.data;
    stream.resize(save.blocks.size() * (each - 4));
    for (std::size_t i = 0; i < save.blocks.size(); ++i) {
      put_be(memory, save.blocks[i] * each, i == 0 ? 0x80000000U : 0, 4);
      put(memory, save.blocks[i] * each + 4, part_of(stream, i * (each - 4), each - 4));
    }
  }
  return memory;
}

/// Data at odd offsets, filler at even ones.
inline Bytes doubled(const Bytes& plain, unsigned filler) {
  Bytes out;
  for (const std::byte byte : plain) {
    out.push_back(static_cast<std::byte>(filler));
    out.push_back(byte);
  }
  return out;
}

// pce backup memory

inline Bytes pce_entry(const std::string& name, const Bytes& data, bool by_words = false) {
  Bytes entry(16);
  put_le(entry, 0, 16 + data.size(), 2);
  put(entry, 6, name);
  entry = entry + data;
  std::uint32_t sum = 0;
  for (std::size_t i = 4; i < entry.size(); i += by_words ? 2 : 1) {
    sum += static_cast<unsigned>(entry[i]);
    if (by_words && i + 1 < entry.size()) sum += static_cast<unsigned>(entry[i + 1]) << 8U;
  }
  put_le(entry, 2, 0x10000U - (sum & 0xFFFFU), 2);
  return entry;
}

inline Bytes golden_pce(const std::vector<Bytes>& entries) {
  Bytes memory(2048);
  put(memory, 0, "HUBM");
  put_le(memory, 4, 0x8800, 2);
  std::size_t at = 16;
  for (const Bytes& entry : entries) {
    put(memory, at, entry);
    at += entry.size();
  }
  put_le(memory, 6, 0x8000 + at, 2);
  return memory;
}

}  // namespace bayswap::test
