// x360 packages assembled by hand from the facts, block by block.
#pragma once

#include <openssl/evp.h>

#include <array>
#include <string>
#include <vector>

#include "support/golden_cards.h"

namespace bayswap::test {

struct InnerFile {
  std::string name;  ///< without folders
  Bytes data;
  unsigned parent = 0xFFFF;  ///< place of its folder in the list
  bool folder = false;
  bool consecutive = true;
};

struct PackageShape {
  std::string magic = "CON ";
  unsigned copies = 1;
  bool second_live = false;  ///< of two copies, the second one counts everywhere
  std::size_t free_blocks = 0;
  std::uint32_t title = 0x58360801;
  std::string profile = "e000014a5b6c7d8e";
  std::string display = "Hold 7, ore and salt";
  Bytes thumbnail = {};
};

inline Bytes sha1_by_hand(const Bytes& bytes) {
  Bytes digest(20);
  unsigned size = 0;
  EVP_Digest(bytes.data(), bytes.size(), reinterpret_cast<unsigned char*>(digest.data()), &size,
             EVP_sha1(), nullptr);
  return digest;
}

inline void put_wide(Bytes& target, std::size_t at, const std::string& text) {
  for (std::size_t i = 0; i < text.size(); ++i)
    target[at + 2 * i + 1] = static_cast<std::byte>(text[i]);
}

class PackageGolden {
 public:
  explicit PackageGolden(PackageShape shape, std::vector<InnerFile> files)
      : shape_(std::move(shape)), files_(std::move(files)) {
    lay_out();
    write_header();
    write_data();
    write_tables();
    bytes_hash_header();
  }

  Bytes bytes;
  std::vector<std::size_t> data_at;                  ///< of each data block
  std::array<std::vector<std::size_t>, 3> table_at;  ///< of the first copy of each table
  static constexpr std::size_t kHeader = 0xA000;     ///< 0x971A rounded up

  void bytes_hash_header() {
    put(bytes, 0x32C, sha1_by_hand(part_of(bytes, 0x344, kHeader - 0x344)));
  }

 private:
  static std::size_t blocks_of(const InnerFile& file) { return (file.data.size() + 4095) / 4096; }

  // What stands before what, in the words of the facts: a table before the data that it covers, the
  // level above after the first 170 blocks.
  void lay_out() {
    std::size_t total = 1 + shape_.free_blocks;
    for (const InnerFile& file : files_) total += blocks_of(file);
    std::size_t at = kHeader;
    const auto table = [&](std::size_t level) {
      table_at[level].push_back(at);
      at += shape_.copies * 4096;
    };
    for (std::size_t block = 0; block < total; ++block) {
      if (block == 170) table(1);
      if (block % 170 == 0) table(0);
      data_at.push_back(at);
      at += 4096;
    }
    bytes.resize(at);
    next_.assign(total, 0xFFFFFF);
    status_.assign(total, 0x00);
  }

  void write_header() {
    put(bytes, 0, shape_.magic);
    put_be(bytes, 0x340, 0x971A, 4);
    put_be(bytes, 0x344, 1, 4);
    put_be(bytes, 0x360, shape_.title, 4);
    for (std::size_t i = 0; i < 8; ++i)
      bytes[0x371 + i] =
          static_cast<std::byte>(std::stoul(shape_.profile.substr(i * 2, 2), nullptr, 16));
    put_wide(bytes, 0x411, shape_.display);
    put_wide(bytes, 0x1691, "Cinder Freight");
    put_be(bytes, 0x1712, shape_.thumbnail.size(), 4);
    put(bytes, 0x171A, shape_.thumbnail);
    bytes[0x379] = std::byte{0x24};
    bytes[0x37B] = static_cast<std::byte>(shape_.copies == 1 ? 1 : shape_.second_live ? 2 : 0);
    put_le(bytes, 0x37C, 1, 2);
    put_le(bytes, 0x37E, 0, 3);
    put_be(bytes, 0x395, data_at.size(), 4);
    put_be(bytes, 0x399, shape_.free_blocks, 4);
  }

  void write_data() {
    status_[0] = 0x80;
    // Free blocks lie behind the file table; files that are not consecutive run backwards.
    std::size_t block = 1 + shape_.free_blocks;
    for (std::size_t i = 0; i < files_.size(); ++i) {
      const InnerFile& file = files_[i];
      const std::size_t count = blocks_of(file);
      for (std::size_t k = 0; k < count; ++k) {
        const auto place = [&](std::size_t n) {
          return file.consecutive ? block + n : block + count - 1 - n;
        };
        Bytes piece =
            part_of(file.data, k * 4096, std::min<std::size_t>(4096, file.data.size() - k * 4096));
        put(bytes, data_at[place(k)], piece);
        status_[place(k)] = 0x80;
        if (k + 1 < count) next_[place(k)] = place(k + 1);
      }
      const std::size_t entry = data_at[0] + i * 64;
      put(bytes, entry, file.name);
      bytes[entry + 0x28] = static_cast<std::byte>(file.name.size() | (file.folder        ? 0x80U
                                                                       : file.consecutive ? 0x40U
                                                                                          : 0U));
      put_le(bytes, entry + 0x29, count, 3);
      put_le(bytes, entry + 0x2C, count, 3);
      put_le(bytes, entry + 0x2F, count == 0 ? 0 : file.consecutive ? block : block + count - 1, 3);
      put_be(bytes, entry + 0x32, file.parent, 2);
      put_be(bytes, entry + 0x34, file.data.size(), 4);
      // 2026-03-04 05:06:08
      put_be(bytes, entry + 0x38, (46U << 9U | 3U << 5U | 4U) << 16U | 5U << 11U | 6U << 5U | 4U,
             4);
      block += count;
    }
  }

  [[nodiscard]] std::size_t live() const { return shape_.second_live ? 4096 : 0; }

  void write_tables() {
    for (std::size_t i = 0; i < data_at.size(); ++i) {
      const std::size_t entry = table_at[0][i / 170] + live() + i % 170 * 24;
      if (status_[i] == 0x80) put(bytes, entry, sha1_by_hand(part_of(bytes, data_at[i], 4096)));
      bytes[entry + 20] = static_cast<std::byte>(status_[i]);
      put_be(bytes, entry + 21, next_[i], 3);
    }
    for (std::size_t t = 0; t < table_at[0].size(); ++t) {
      std::size_t used = 0;
      for (std::size_t i = t * 170; i < std::min(data_at.size(), (t + 1) * 170); ++i)
        used += status_[i] == 0x80 ? 1 : 0;
      put_be(bytes, table_at[0][t] + live() + 0xFF0, used, 4);
    }
    std::size_t root = table_at[0][0] + live();
    if (!table_at[1].empty()) {
      root = table_at[1][0] + live();
      for (std::size_t t = 0; t < table_at[0].size(); ++t) {
        put(bytes, root + t * 24, sha1_by_hand(part_of(bytes, table_at[0][t] + live(), 4096)));
        bytes[root + t * 24 + 20] = static_cast<std::byte>(shape_.second_live ? 0xC0 : 0x80);
        put_be(bytes, root + t * 24 + 21, 0xFFFFFF, 3);
      }
      put_be(bytes, root + 0xFF0, table_at[0].size(), 4);
    }
    put(bytes, 0x381, sha1_by_hand(part_of(bytes, root, 4096)));
  }

  PackageShape shape_;
  std::vector<InnerFile> files_;
  std::vector<std::size_t> next_;
  std::vector<unsigned> status_;
};

/// Two files at the root, one in a folder, and a few free blocks.
inline std::vector<InnerFile> usual_files() {
  return {{"savegame.dat", random_bytes(10'000, 1), 0xFFFF, false, true},
          {"routes", {}, 0xFFFF, true, false},
          {"north.bin", random_bytes(5'000, 2), 1, false, false},
          {"empty", {}, 0xFFFF, false, true}};
}

}  // namespace bayswap::test
