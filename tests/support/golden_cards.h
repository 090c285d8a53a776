// Cards assembled by hand from the facts, without any code of the library.
#pragma once

#include <array>
#include <cstdint>
#include <string>
#include <utility>
#include <vector>

#include "support/bytes.h"

namespace bayswap::test {

inline void put_le(Bytes& into, std::size_t at, std::uint64_t value, std::size_t width) {
  for (std::size_t i = 0; i < width; ++i)
    into[at + i] = static_cast<std::byte>(value >> (8 * i) & 0xFFU);
}
inline void put_be(Bytes& into, std::size_t at, std::uint64_t value, std::size_t width) {
  for (std::size_t i = 0; i < width; ++i)
    into[at + width - 1 - i] = static_cast<std::byte>(value >> (8 * i) & 0xFFU);
}
inline std::uint64_t get_be(const Bytes& from, std::size_t at, std::size_t width) {
  std::uint64_t value = 0;
  for (std::size_t i = 0; i < width; ++i)
    value = value << 8U | std::to_integer<unsigned>(from[at + i]);
  return value;
}
inline Bytes part_of(const Bytes& from, std::size_t at, std::size_t size) {
  return {from.begin() + static_cast<std::ptrdiff_t>(at),
          from.begin() + static_cast<std::ptrdiff_t>(at + size)};
}

// ---- ps1

inline void seal_ps1_frame(Bytes& card, std::size_t frame) {
  unsigned sum = 0;
  for (std::size_t i = 0; i < 127; ++i) sum ^= std::to_integer<unsigned>(card[frame * 128 + i]);
  put(card, frame * 128 + 127, sum);
}

inline Bytes ps1_data(std::size_t blocks, const std::string& title, std::uint32_t seed) {
  Bytes data = random_bytes(blocks * 8192, seed);
  put(data, 0, bytes({'S', 'C', 0x12, static_cast<unsigned>(blocks)}));
  put(data, 4, filled(64, 0));
  put(data, 4, title);
  return data;
}

inline Bytes blank_ps1_card() {
  Bytes card = filled(131072, 0);
  put(card, 0, "MC");
  seal_ps1_frame(card, 0);
  for (std::size_t frame = 1; frame <= 15; ++frame) {
    put(card, frame * 128, 0xA0);
    put_le(card, frame * 128 + 8, 0xFFFF, 2);
    seal_ps1_frame(card, frame);
  }
  for (std::size_t frame = 16; frame <= 35; ++frame) {
    put_le(card, frame * 128, 0xFFFFFFFF, 4);
    seal_ps1_frame(card, frame);
  }
  put(card, 63 * 128, part_of(card, 0, 128));
  return card;
}

/// Blocks are counted from 0 for block 1. `first`: 0x51, or 0xA1 for a deleted save.
inline void add_ps1_save(Bytes& card, const std::string& name, const Bytes& data,
                         const std::vector<unsigned>& blocks, unsigned first = 0x51) {
  for (std::size_t i = 0; i < blocks.size(); ++i) {
    const std::size_t frame = (blocks[i] + 1) * 128;
    put(card, frame, filled(128, 0));
    const bool last = i + 1 == blocks.size();
    put(card, frame, i == 0 ? first : last ? first + 2 : first + 1);
    if (i == 0) {
      put_le(card, frame + 4, data.size(), 4);
      put(card, frame + 10, name);
    }
    put_le(card, frame + 8, last ? 0xFFFF : blocks[i + 1], 2);
    seal_ps1_frame(card, frame / 128);
    put(card, (blocks[i] + 1) * 8192, part_of(data, i * 8192, 8192));
  }
}

// ---- gc

inline void seal_gc(Bytes& card, std::size_t from, std::size_t to, std::size_t check) {
  unsigned sum = 0;
  unsigned inverse = 0;
  for (std::size_t at = from; at < to; at += 2) {
    sum += static_cast<unsigned>(get_be(card, at, 2));
    inverse += static_cast<unsigned>(get_be(card, at, 2)) ^ 0xFFFFU;
  }
  put_be(card, check, (sum & 0xFFFFU) == 0xFFFFU ? 0 : sum & 0xFFFFU, 2);
  put_be(card, check + 2, (inverse & 0xFFFFU) == 0xFFFFU ? 0 : inverse & 0xFFFFU, 2);
}

struct GcSave {
  std::string code;
  std::string maker;
  std::string name;
  Bytes data;
  std::vector<unsigned> blocks;  // absolute
  std::uint32_t modified = 0;
  std::uint32_t pictures = 0xFFFFFFFF;
  unsigned banner = 0;
  unsigned formats = 0;
  unsigned speeds = 0;
  std::uint32_t comment = 0xFFFFFFFF;
};

inline Bytes gc_entry(const GcSave& save) {
  Bytes entry = filled(64, 0);
  put(entry, 0, save.code);
  put(entry, 4, save.maker);
  put(entry, 6, 0xFF);
  put(entry, 7, save.banner);
  put(entry, 8, save.name);
  put_be(entry, 0x28, save.modified, 4);
  put_be(entry, 0x2C, save.pictures, 4);
  put_be(entry, 0x30, save.formats, 2);
  put_be(entry, 0x32, save.speeds, 2);
  put(entry, 0x34, 4);
  put_be(entry, 0x36, save.blocks.empty() ? 0 : save.blocks[0], 2);
  put_be(entry, 0x38, save.data.size() / 8192, 2);
  put_be(entry, 0x3A, 0xFFFF, 2);
  put_be(entry, 0x3C, save.comment, 4);
  return entry;
}

/// `counter`: update counter of the first copies; the second ones have one more.
inline Bytes gc_card(std::size_t usable, const std::vector<GcSave>& saves, unsigned counter = 0) {
  const std::size_t blocks = usable + 5;
  Bytes card = filled(blocks * 8192, 0);
  put(card, 0, filled(8192, 0xFF));
  put(card, 0, filled(0x26, 0));
  put_be(card, 0x22, blocks / 16, 2);
  seal_gc(card, 0, 0x1FC, 0x1FC);
  for (const std::size_t copy : {0U, 1U}) {
    const std::size_t directory = (1 + copy) * 8192;
    const std::size_t map = (3 + copy) * 8192;
    put(card, directory, filled(8192, 0xFF));
    put_be(card, directory + 0x1FFA, counter + copy, 2);
    std::size_t used = 0;
    for (std::size_t i = 0; i < saves.size(); ++i) {
      put(card, directory + i * 64, gc_entry(saves[i]));
      for (std::size_t k = 0; k < saves[i].blocks.size(); ++k, ++used) {
        const bool last = k + 1 == saves[i].blocks.size();
        put_be(card, map + 0x0A + (saves[i].blocks[k] - 5) * 2,
               last ? 0xFFFF : saves[i].blocks[k + 1], 2);
        put(card, saves[i].blocks[k] * 8192, part_of(saves[i].data, k * 8192, 8192));
      }
    }
    put_be(card, map + 4, counter + copy, 2);
    put_be(card, map + 6, usable - used, 2);
    put_be(card, map + 8, 4, 2);
    seal_gc(card, directory, directory + 0x1FFC, directory + 0x1FFC);
    seal_gc(card, map + 4, map + 8192, map);
  }
  return card;
}

// ---- ps2

/// The code of 128 bytes, bit by bit as the facts say it.
inline std::array<unsigned, 3> slow_ecc(const Bytes& chunk) {
  std::array<unsigned, 10> zero{};
  std::array<unsigned, 10> one{};
  for (unsigned i = 0; i < 128; ++i)
    for (unsigned j = 0; j < 8; ++j) {
      if ((std::to_integer<unsigned>(chunk[i]) >> j & 1U) == 0) continue;
      for (unsigned a = 0; a < 10; ++a) ((8 * i + j) >> a & 1U ? one : zero)[a] ^= 1U;
    }
  std::array<unsigned, 3> code{};
  for (unsigned a = 0; a < 3; ++a) code[0] |= (zero[a] ^ 1U) << a | (one[a] ^ 1U) << (a + 4);
  for (unsigned a = 3; a < 10; ++a) {
    code[1] |= (zero[a] ^ 1U) << (a - 3);
    code[2] |= (one[a] ^ 1U) << (a - 3);
  }
  return code;
}

inline Bytes with_spare(const Bytes& plain) {
  Bytes raw;
  for (std::size_t page = 0; page < plain.size(); page += 512) {
    const Bytes data = part_of(plain, page, 512);
    raw = std::move(raw) + data;
    if (data == filled(512, 0xFF)) {
      raw = std::move(raw) + filled(16, 0xFF);
      continue;
    }
    for (std::size_t chunk = 0; chunk < 512; chunk += 128)
      for (const unsigned code : slow_ecc(part_of(data, chunk, 128)))
        raw.push_back(static_cast<std::byte>(code));
    raw = std::move(raw) + filled(4, 0);
  }
  return raw;
}

struct Ps2File {
  std::string name;
  Bytes data;
};

/// A card with a file system of its own making: every chain can be placed where a test wants it.
class Ps2Golden {
 public:
  explicit Ps2Golden(std::uint32_t clusters = 8192) {
    card = filled(std::size_t{clusters} * 1024, 0xFF);
    put(card, 0, filled(512, 0));
    put(card, 0, "Sony PS2 Memory Card Format 1.2.0.0");
    const std::uint32_t tables = (clusters - 16 + 255) / 256;
    first = 9 + tables;
    end = clusters - 16 - first;
    put_le(card, 0x28, 512, 2);
    put_le(card, 0x2A, 2, 2);
    put_le(card, 0x2C, 16, 2);
    put_le(card, 0x2E, 0xFF00, 2);
    put_le(card, 0x30, clusters, 4);
    put_le(card, 0x34, first, 4);
    put_le(card, 0x38, end, 4);
    put_le(card, 0x3C, 0, 4);
    put_le(card, 0x40, clusters / 8 - 1, 4);
    put_le(card, 0x44, clusters / 8 - 2, 4);
    put_le(card, 0x50, 8, 4);
    put(card, 0xD0, filled(128, 0xFF));
    put(card, 0x150, bytes({2, 0x2B}));
    for (std::uint32_t i = 0; i < tables; ++i) {
      put_le(card, 8 * 1024 + i * 4, 9 + i, 4);
      for (std::uint32_t k = 0; k < 256; ++k) put_le(card, (9 + i) * 1024 + k * 4, 0x7FFFFFFF, 4);
    }
    chain({0});
    put(card, at(0), filled(1024, 0));
    put(card, at(0), entry(0x8427, 2, 0, "."));
    put(card, at(0) + 512, entry(0xA426, 0, 0, ".."));
  }

  std::size_t at(std::uint32_t cluster) const { return (std::size_t{first} + cluster) * 1024; }
  std::size_t fat(std::uint32_t cluster) const { return 9 * 1024 + std::size_t{cluster} * 4; }

  static Bytes entry(unsigned mode, std::uint32_t length, std::uint32_t cluster,
                     const std::string& name) {
    Bytes raw = filled(512, 0);
    put_le(raw, 0, mode, 2);
    put_le(raw, 4, length, 4);
    // 2026-03-04 05:06:07 in UTC+9.
    for (const std::size_t field : {0x08U, 0x18U})
      put(raw, field, bytes({0, 7, 6, 5, 4, 3, 0xEA, 7}));
    put_le(raw, 0x10, cluster, 4);
    put(raw, 0x40, name);
    return raw;
  }

  void chain(const std::vector<std::uint32_t>& clusters) {
    for (std::size_t i = 0; i < clusters.size(); ++i)
      put_le(card, fat(clusters[i]),
             0x80000000U | (i + 1 < clusters.size() ? clusters[i + 1] : 0x7FFFFFFFU), 4);
  }

  /// Takes clusters from `from` on, leaving every second one out when `scattered`.
  void add(const std::string& name, const std::vector<Ps2File>& files, std::uint32_t from,
           bool scattered = false) {
    std::uint32_t next = from;
    const auto take = [&](std::size_t count) {
      std::vector<std::uint32_t> taken;
      for (std::size_t i = 0; i < count; ++i, next += scattered ? 2 : 1) taken.push_back(next);
      chain(taken);
      return taken;
    };
    const auto folder = take((files.size() + 3) / 2);
    const auto place = [&](const std::vector<std::uint32_t>& where, std::size_t index) {
      return at(where[index / 2]) + index % 2 * 512;
    };
    for (const std::uint32_t cluster : folder) put(card, at(cluster), filled(1024, 0));
    Bytes dot = entry(0x8427, 0, 0, ".");
    put_le(dot, 0x14, root_length, 4);
    put(card, place(folder, 0), dot);
    put(card, place(folder, 1), entry(0x8427, 0, 0, ".."));
    for (std::size_t i = 0; i < files.size(); ++i) {
      const Bytes& data = files[i].data;
      std::uint32_t start = 0xFFFFFFFF;
      if (!data.empty()) {
        const auto where = take((data.size() + 1023) / 1024);
        start = where[0];
        for (std::size_t k = 0; k < where.size(); ++k)
          put(card, at(where[k]),
              part_of(data, k * 1024, std::min<std::size_t>(1024, data.size() - k * 1024)));
      }
      put(card, place(folder, i + 2),
          entry(0x8497, static_cast<std::uint32_t>(data.size()), start, files[i].name));
    }
    if (root_length / 2 >= root.size()) {
      root.push_back(end - 10 - static_cast<std::uint32_t>(root.size()));
      chain(root);
      put(card, at(root.back()), filled(1024, 0));
    }
    put(card, place(root, root_length),
        entry(0x8427, static_cast<std::uint32_t>(files.size() + 2), folder[0], name));
    ++root_length;
    put_le(card, at(0) + 4, root_length, 4);
  }

  Bytes card;
  std::uint32_t first = 0;
  std::uint32_t end = 0;

 private:
  std::vector<std::uint32_t> root{0};
  std::uint32_t root_length = 2;
};

/// An `icon.sys` with a title in two lines (Shift-JIS bytes) and corner colours.
inline Bytes icon_sys(const std::string& first_line, const std::string& second_line) {
  Bytes icon = filled(964, 0);
  put(icon, 0, "PS2D");
  put_le(icon, 6, first_line.size(), 2);
  for (std::size_t corner = 0; corner < 4; ++corner)
    for (std::size_t channel = 0; channel < 3; ++channel)
      put_le(icon, 0x10 + corner * 16 + channel * 4, corner * 60 + channel * 10, 4);
  put(icon, 0xC0, first_line + second_line);
  put(icon, 0x104, "view.icn");
  return icon;
}

}  // namespace bayswap::test
