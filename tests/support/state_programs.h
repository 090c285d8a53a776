// Stand-ins for programs that make states: each family writes its memory in a form of its own, and
// each program of a family has its own marks, tags, sizes and order. None of them exists.
#pragma once

#include <algorithm>
#include <array>
#include <random>
#include <string>
#include <vector>

#include "core/packing/packing.h"
#include "support/bytes.h"

namespace bayswap::test {

/// A made-up game at one moment.
struct RunningGame {
  std::string title = "LANTERN DRIFT";
  std::uint32_t seed = 1;  ///< of what never changes in its memory
  unsigned frame = 1;      ///< 0: the first one; some programs leave things out there
  Bytes save;              ///< the chip, as the program keeps it
  Bytes copy;              ///< of a save, or a piece of one, in work memory; may be empty
};

enum class StateFamily {
  tags,             ///< four letters, a length of three, four or eight bytes, the data
  names,            ///< names of any length, ended by a zero or led by their length
  table,            ///< everything at fixed places, nothing named
  title_first,      ///< the game's name at the beginning, then fixed places
  packed_whole,     ///< one of the above, compressed
  packed_sections,  ///< tags, each with its data compressed by itself
  beside_work,      ///< work memory right before the save, nothing between
};
inline constexpr std::array<StateFamily, 7> kStateFamilies{
    StateFamily::tags,        StateFamily::names,        StateFamily::table,
    StateFamily::title_first, StateFamily::packed_whole, StateFamily::packed_sections,
    StateFamily::beside_work};

class StateProgram {
 public:
  StateProgram(StateFamily family, std::uint32_t seed)
      : family_(family), numbers_(seed * 7919U + 13U) {
    plain_ = family == StateFamily::packed_whole ? kStateFamilies[pick(4)] : family;
    for (char& letter : mark_) letter = static_cast<char>('A' + pick(26));
    width_ = std::array<std::size_t, 3>{3, 4, 8}[pick(3)];
    big_ = pick(2) == 0;
    zero_ended_ = pick(2) == 0;
    header_ = pick(5) * 4;
    whole_ = std::array{Packing::gzip, Packing::zlib, Packing::zstd, Packing::lz4}[pick(4)];
    work_size_ = std::array<std::size_t, 4>{0x2000, 0x6000, 0x8000, 0x20000}[pick(4)];
    video_size_ = std::array<std::size_t, 3>{0x2000, 0x4000, 0x9400}[pick(3)];
    sound_size_ = 200 + pick(900);
    names_ = pools()[pick(pools().size())];
    std::ranges::shuffle(order_, numbers_);
    later_sound_ = pick(2) == 0;
    title_width_ = 16 + pick(5) * 4;
    version_ = 1 + pick(200);
  }

  [[nodiscard]] Bytes state(const RunningGame& game) const {
    const Bytes content = content_of(game);
    if (family_ != StateFamily::packed_whole) return content;
    return *pack(content, whole_, "memory", std::nullopt);
  }
  /// Whether the save has a name or a length of its own in this form.
  [[nodiscard]] bool names_the_save() const {
    return plain_ == StateFamily::tags || plain_ == StateFamily::names ||
           plain_ == StateFamily::packed_sections;
  }

  /// Memory as games leave it: much of it the same all the time, some of it moving, some unused.
  [[nodiscard]] static Bytes memory(std::size_t size, std::uint32_t game, unsigned frame) {
    std::mt19937 always(game);
    std::mt19937 now(game * 31U + frame);
    Bytes bytes(size);
    for (std::size_t at = 0; at < size;) {
      const std::size_t run = std::min<std::size_t>(16 + always() % 400, size - at);
      const unsigned kind = always() % 4;
      for (std::size_t i = 0; i < run; ++i) {
        const auto still = static_cast<std::byte>(always() & 0xFFU);
        const auto moving = static_cast<std::byte>(now() & 0xFFU);
        if (kind == 0) bytes[at + i] = still;
        if (kind == 1) bytes[at + i] = i % 16 == 0 ? moving : static_cast<std::byte>(i & 0x0FU);
        if (kind == 2) bytes[at + i] = moving;
      }
      at += run;
    }
    return bytes;
  }

 private:
  // What programs may call processor, work memory, video memory, sound and the save.
  using Names = std::array<std::string, 5>;
  static const std::vector<Names>& pools() {
    static const std::vector<Names> all{{"CPU ", "WRAM", "VRAM", "APU ", "SRAM"},
                                        {"proc", "work", "vide", "soun", "batt"},
                                        {"REGS", "MAIN", "PICT", "TONE", "SAVE"},
                                        {"core", "mram", "gmem", "spcm", "nvrm"},
                                        {"M_01", "M_02", "M_03", "M_04", "M_05"}};
    return all;
  }
  unsigned pick(std::size_t count) { return static_cast<unsigned>(numbers_() % count); }

  struct Piece {
    std::size_t name = 0;
    Bytes bytes;
  };
  [[nodiscard]] std::vector<Piece> pieces_of(const RunningGame& game) const {
    Bytes work = memory(work_size_, game.seed, game.frame);
    const std::size_t copied = std::min(game.copy.size(), work.size() - 64);
    std::copy_n(game.copy.begin(), copied, work.begin() + 64);
    // Sound waits in a queue that is as long as it happens to be.
    const std::size_t queue = later_sound_ && game.frame > 0 ? game.frame * 37 % 500 : 0;
    const std::array<Bytes, 5> all{memory(97, game.seed + 1, game.frame * 3 + 1), work,
                                   memory(video_size_, game.seed + 2, game.frame / 4),
                                   memory(sound_size_ + queue, game.seed + 3, game.frame),
                                   game.save};
    std::vector<Piece> pieces;
    for (const std::size_t name : order_) pieces.push_back({name, all[name]});
    if (plain_ == StateFamily::beside_work) {
      std::erase_if(pieces, [](const Piece& piece) { return piece.name == 1 || piece.name == 4; });
      pieces.insert(pieces.begin() + 1, {{1, all[1]}, {4, all[4]}});
    }
    return pieces;
  }

  [[nodiscard]] Bytes number(std::uint64_t value, std::size_t width) const {
    Bytes bytes(width);
    for (std::size_t i = 0; i < width; ++i)
      bytes[big_ ? width - 1 - i : i] = static_cast<std::byte>(value >> (8 * i) & 0xFFU);
    return bytes;
  }
  [[nodiscard]] static Bytes letters(const std::string& text) {
    Bytes bytes(text.size());
    put(bytes, 0, text);
    return bytes;
  }

  [[nodiscard]] Bytes content_of(const RunningGame& game) const {
    const bool table = plain_ == StateFamily::table || plain_ == StateFamily::title_first ||
                       plain_ == StateFamily::beside_work;
    Bytes content = letters(mark_) + Bytes(header_, std::byte{3});
    if (plain_ == StateFamily::title_first) {
      Bytes title(title_width_);
      put(title, 0, game.title);
      content = title + number(version_, 4);
    }
    for (const Piece& piece : pieces_of(game)) {
      const std::string& name = names_[piece.name];
      if (table) {
        content = content + piece.bytes;
      } else if (plain_ == StateFamily::names) {
        std::string text = name;
        text.erase(text.find_last_not_of(' ') + 1);
        text += piece.name == 4 ? ".data" : ".ram0";
        content =
            content +
            (zero_ended_ ? letters(text) + Bytes(1) : number(text.size(), 1) + letters(text)) +
            number(piece.bytes.size(), 4) + piece.bytes;
      } else if (plain_ == StateFamily::packed_sections) {
        const Bytes packed = *pack(piece.bytes, Packing::zlib, "", std::nullopt);
        content = content + letters(name) + number(packed.size(), 4) +
                  number(piece.bytes.size(), 4) + packed;
      } else {
        content = content + letters(name) + number(piece.bytes.size(), width_) + piece.bytes;
      }
    }
    return content;
  }

  StateFamily family_;
  StateFamily plain_{};  // what is compressed, where the whole is
  std::mt19937 numbers_;
  std::string mark_ = std::string(6, 'A');
  std::size_t width_ = 4;  // of a length
  bool big_ = false;
  bool zero_ended_ = false;
  std::size_t header_ = 0;
  Packing whole_ = Packing::zlib;
  std::size_t work_size_ = 0;
  std::size_t video_size_ = 0;
  std::size_t sound_size_ = 0;
  Names names_;
  std::array<std::size_t, 5> order_{0, 1, 2, 3, 4};
  bool later_sound_ = false;
  std::size_t title_width_ = 16;
  unsigned version_ = 1;
};

}  // namespace bayswap::test
