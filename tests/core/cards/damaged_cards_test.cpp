// Cards that lose a table, a copy of the directory, the first block, a run of blocks or their end:
// what is still there is rescued, by name where an entry survives, and nothing wrong is called
// right.
#include <gtest/gtest.h>

#include <cstdio>
#include <functional>
#include <map>

#include "support/card_zoo.h"
#include "support/rounds.h"

namespace bayswap {
namespace {

// A run of bytes of a file.
struct Stretch {
  std::size_t at = 0;
  std::size_t size = 0;
};

// Where a family keeps what tells its saves apart. All from formats.md, none from the code.
struct Places {
  std::vector<Stretch> tables;       // allocation tables, in all copies
  std::vector<Stretch> directories;  // the same
  Stretch first_block;
  std::size_t block = 0;                                      // bytes
  std::function<std::size_t(std::uint32_t)> of_block;         // where a block of Card::map lies
  std::function<bool(ByteView entry, const CardSave&)> says;  // an entry names this save
  std::size_t entry = 0;                                      // bytes
};

std::uint32_t u16(ByteView bytes, std::size_t at, bool big) {
  const auto a = static_cast<std::uint32_t>(bytes[at]);
  const auto b = static_cast<std::uint32_t>(bytes[at + 1]);
  return big ? a << 8U | b : b << 8U | a;
}

std::uint32_t u32le(ByteView bytes, std::size_t at) {
  return u16(bytes, at, false) | u16(bytes, at + 2, false) << 16U;
}

bool has_text(ByteView bytes, std::size_t at, std::string_view text) {
  return std::ranges::equal(bytes.subspan(at, text.size()), std::as_bytes(std::span(text)));
}

Places places_of(const std::string& id, ByteView card) {
  Places places;
  if (id == "ps1-card") {
    places = {{}, {{128, 15 * 128}}, {0, 8192}, 8192, {}, {}, 128};
    places.of_block = [](std::uint32_t block) { return (std::size_t{block} + 1) * 8192; };
    places.says = [](ByteView entry, const CardSave& save) {
      return has_text(entry, 10, save.save.name);
    };
  } else if (id == "gc-card") {
    places = {{{3 * 8192, 8192}, {4 * 8192, 8192}},
              {{8192, 127 * 64}, {2 * 8192, 127 * 64}},
              {0, 8192},
              8192,
              {},
              {},
              64};
    places.of_block = [](std::uint32_t block) { return (std::size_t{block} + 5) * 8192; };
    places.says = [](ByteView entry, const CardSave& save) {
      return has_text(entry, 8, save.save.name) && u16(entry, 0x36, true) == save.blocks[0] + 5;
    };
  } else if (id == "dc-card") {
    places = {{{254 * 512, 512}}, {{241 * 512, 13 * 512}}, {0, 512}, 512, {}, {}, 32};
    places.of_block = [](std::uint32_t block) { return std::size_t{block} * 512; };
    places.says = [](ByteView entry, const CardSave& save) {
      return entry[0] != std::byte{0} && has_text(entry, 4, save.save.name);
    };
  } else if (id == "n64-pak") {
    places = {{{256, 256}, {512, 256}}, {{768, 512}}, {0, 256}, 256, {}, {}, 32};
    places.of_block = [](std::uint32_t block) { return (std::size_t{block} + 5) * 256; };
    places.says = [](ByteView entry, const CardSave& save) {
      return entry[0] != std::byte{0} && u16(entry, 6, true) == save.blocks[0] + 5;
    };
  } else if (id == "saturn-bram") {
    const std::size_t block = card.size() > 32768 ? 512 : 64;
    places = {{}, {}, {0, block}, block, {}, {}, block};
    places.of_block = [block](std::uint32_t at) { return (std::size_t{at} + 2) * block; };
  } else if (id == "pce-bram") {
    places = {{}, {}, {0, 16}, 1, {}, {}, 1};
    places.of_block = [](std::uint32_t at) { return std::size_t{at} + 16; };
  } else {
    const std::size_t page = id == "ps2-card-ecc" ? 528 : 512;
    const std::size_t cluster = 2 * page;
    places = {{}, {}, {0, cluster}, cluster, {}, {}, page};
    const std::uint32_t base = u32le(card, 0x34);
    places.of_block = [=](std::uint32_t at) { return (std::size_t{at} + base) * cluster; };
    const std::size_t indirect = u32le(card, 0x50) * cluster;
    places.tables.push_back({indirect, cluster});
    for (std::size_t i = 0; i < 256; ++i) {
      const std::uint32_t table = u32le(card, indirect + (i * 4) / 512 * page + i * 4 % 512);
      if (table != 0xFFFFFFFFU && table != 0) places.tables.push_back({table * cluster, cluster});
    }
    places.directories.push_back({base * cluster, card.size() - base * cluster});
    places.says = [](ByteView entry, const CardSave& save) {
      return (u16(entry, 0, false) & 0x8020U) == 0x8020U && has_text(entry, 0x40, save.save.name) &&
             entry[0x40 + save.save.name.size()] == std::byte{0};
    };
  }
  return places;
}

// A card on which saves were put, dropped and put again.
Bytes used_card(const CardLayout& layout, test::Numbers& numbers) {
  const std::string& id = layout.info().id;
  Bytes card = id.starts_with("ps2") && numbers() % 2 == 0
                   ? *layout.format(layout.card_info().default_blocks)
                   : test::small_card(id);
  if (layout.card_info().capacities.size() > 1 && !id.starts_with("ps2") && numbers() % 3 == 0)
    card = *layout.format(layout.card_info().capacities[1]);
  const unsigned count = 3 + numbers() % 8;
  for (unsigned i = 0; i < count; ++i) {
    const Save save = test::random_card_save(layout, i, numbers);
    if (auto changed = layout.change(card, {{}, {save}})) card = std::move(changed->bytes);
    const auto now = layout.open(card);
    if (numbers() % 4 == 0 && now->saves.size() > 2)
      if (auto changed = layout.change(card, {{numbers() % now->saves.size()}, {}}))
        card = std::move(changed->bytes);
  }
  return card;
}

enum class Loss { table, directory, first_block, run, end };

constexpr const char* kLosses[]{"table", "directory", "first block", "run", "end"};

class DamagedCards : public testing::TestWithParam<std::string> {
 protected:
  void fill(Bytes& card, Stretch run, test::Numbers& numbers) const {
    const unsigned kind = numbers() % 3;
    for (std::size_t i = run.at; i < run.at + run.size && i < card.size(); ++i)
      card[i] = kind == 0   ? std::byte{0}
                : kind == 1 ? std::byte{0xFF}
                            : static_cast<std::byte>(numbers());
  }

  Bytes damaged(const Bytes& good, const Places& places, Loss& loss, test::Numbers& numbers) const {
    Bytes card = good;
    // Without its first page a card is known by its size; the small ones of the test are none.
    const bool known_size = layout_.info().system != System::ps2 || card.size() >= 8'000'000;
    loss = static_cast<Loss>(numbers() % 5);
    const auto part_of = [&](Stretch run) {
      if (numbers() % 2 == 0 || run.size < 64) return run;
      const std::size_t from = numbers() % run.size;
      return Stretch{run.at + from, 1 + numbers() % (run.size - from)};
    };
    if (loss == Loss::table && places.tables.empty()) loss = Loss::run;
    if (loss == Loss::directory &&
        (places.directories.empty() || places.block == 1024 || places.block == 1056))
      loss = Loss::run;
    if (loss == Loss::table) {
      const bool all = numbers() % 3 == 0;
      for (const Stretch& table : places.tables)
        if (all || numbers() % 2 == 0) fill(card, part_of(table), numbers);
    } else if (loss == Loss::directory) {
      const Stretch copy = places.directories[numbers() % places.directories.size()];
      fill(card, part_of(copy), numbers);
    } else if (loss == Loss::first_block && known_size) {
      fill(card, part_of(places.first_block), numbers);
    } else if (loss == Loss::run) {
      const std::size_t blocks = card.size() / places.block;
      const std::size_t from = numbers() % blocks;
      fill(card, {from * places.block, (1 + numbers() % (1 + blocks / 20)) * places.block},
           numbers);
    } else {
      card.resize(card.size() / 2 + numbers() % (card.size() / 2));
    }
    return card;
  }

  const CardLayout& layout_ = test::card_layout(GetParam());
};

// What a stranger's strict reader asks of a card beyond its tables.
std::string strict_look(const std::string& id, ByteView card) {
  std::string wrong;
  const auto zero = [&](std::size_t from, std::size_t to) {
    return std::ranges::all_of(card.subspan(from, to - from),
                               [](std::byte byte) { return byte == std::byte{0}; });
  };
  if (id == "gc-card") {
    const std::size_t blocks = card.size() / 8192;
    if (u16(card, 0x24, true) > 1) wrong += "encoding; ";
    for (const std::size_t map : {std::size_t{3} * 8192, std::size_t{4} * 8192}) {
      const std::uint32_t last = u16(card, map + 8, true);
      if (last < 4 || last >= blocks) wrong += "last allocated block; ";
      if (!zero(map + 0xA + (blocks - 5) * 2, map + 8192)) wrong += "map behind its end; ";
    }
  } else if (id == "ps1-card") {
    for (std::size_t frame = 16; frame < 36; ++frame)
      if (u32le(card, frame * 128) != 0xFFFFFFFFU) wrong += "list of broken frames; ";
    for (std::size_t frame = 1; frame < 16; ++frame) {
      std::size_t end = frame * 128 + 10;
      while (end < frame * 128 + 127 && card[end] != std::byte{0}) ++end;
      if (end > frame * 128 + 30 || !zero(end, frame * 128 + 127)) wrong += "bytes behind a name; ";
    }
  } else if (id.starts_with("ps2")) {
    for (std::size_t at = 0xD0; at < 0x150; at += 4)
      if (u32le(card, at) != 0xFFFFFFFFU) wrong += "list of bad blocks; ";
  }
  return wrong;
}

// How the saves of damaged cards fared.
struct Tally {
  std::size_t named = 0;     // data and an entry were there: found under their names
  std::size_t missed = 0;    // the same, not found, or as a doubtful guess
  std::size_t found = 0;     // the data alone was there: found under some name
  std::size_t gone = 0;      // the same, not found
  std::size_t wrong = 0;     // called whole or repaired, with wrong bytes
  std::size_t untold = 0;    // an entry was there, and nobody names it
  std::size_t bad_exit = 0;  // cards: tells of a loss though all is there, or does not tell
  std::size_t cards = 0;
};

class Judge {
 public:
  Judge(const Places& places, ByteView good, ByteView bad, const Card& after, const Mended& mended)
      : places_(places), good_(good), bad_(bad), after_(after), mended_(mended) {}

  void judge(const Card& before, Tally& tally) {
    bool all_there = true;
    bool one_gone = false;
    for (const CardSave& save : before.saves) {
      const bool data = std::ranges::all_of(save.blocks, [&](std::uint32_t block) {
        return is_same(places_.of_block(block), places_.block);
      });
      const bool entry = places_.directories.empty() ? data : has_entry(save);
      const CardSave* there = under(save.save.name);
      const bool right = there != nullptr && same_card_save(there->save, save.save);
      const bool anywhere = right || is_anywhere(save.save);
      const auto told = std::ranges::find(mended_.saves, save.save.name,
                                          [](const Rescue& rescue) { return rescue.save.name; });
      const bool is_told = told != mended_.saves.end();
      if (data && entry) ++(right ? tally.named : tally.missed);
      if (data && !entry) ++(anywhere ? tally.found : tally.gone);
      if (data && entry && there != nullptr && !right && is_told && is_sure(*told)) ++tally.wrong;
      if (entry && !is_told) ++tally.untold;
      all_there = all_there && data && right;
      one_gone = one_gone || (there == nullptr && !anywhere);
    }
    const bool tells = mended_.unnamed || !std::ranges::all_of(mended_.saves, is_sure);
    if ((all_there && tells) || (one_gone && !tells)) ++tally.bad_exit;
  }

 private:
  static bool is_sure(const Rescue& rescue) {
    return rescue.state == RescueState::whole || rescue.state == RescueState::repaired;
  }
  [[nodiscard]] bool is_same(std::size_t at, std::size_t size) const {
    return at + size <= bad_.size() &&
           std::ranges::equal(bad_.subspan(at, size), good_.subspan(at, size));
  }
  [[nodiscard]] bool has_entry(const CardSave& save) const {
    for (const Stretch& directory : places_.directories)
      for (std::size_t at = directory.at; at + places_.entry <= directory.at + directory.size;
           at += places_.entry)
        if (places_.says(good_.subspan(at, places_.entry), save) && is_same(at, places_.entry))
          return true;
    return false;
  }
  [[nodiscard]] const CardSave* under(const std::string& name) const {
    for (const CardSave& now : after_.saves)
      if (now.save.name == name) return &now;
    return nullptr;
  }
  [[nodiscard]] bool is_anywhere(const Save& save) const {
    return std::ranges::any_of(after_.saves, [&](const CardSave& now) {
      Save as = now.save;
      as.name = save.name;
      return same_card_save(as, save);
    });
  }

  const Places& places_;
  ByteView good_;
  ByteView bad_;
  const Card& after_;
  const Mended& mended_;
};

// A pak says nowhere how long a note is: where both tables are lost, that is a guess.
bool knows_lengths(const std::string& id) {
  return id != "n64-pak";
}

TEST_P(DamagedCards, GiveEverythingWhoseDataIsThere) {
  std::map<Loss, Tally> tallies;
  for (int round = 0; round < test::rounds(40); ++round) {
    SCOPED_TRACE(round);
    test::Numbers numbers(static_cast<std::uint32_t>(round) + 7);
    const Bytes good = used_card(layout_, numbers);
    const auto before = layout_.open(good);
    ASSERT_TRUE(before);
    const Places places = places_of(GetParam(), good);
    Loss loss{};
    const Bytes card = damaged(good, places, loss, numbers);
    Tally& tally = tallies[loss];
    ++tally.cards;
    const auto mended = mend(layout_, card);
    if (!mended) {
      // Only what is too short to hold a card's directory, and confirms nothing itself.
      EXPECT_EQ(GetParam(), "dc-card") << mended.error().text;
      continue;
    }
    const Findings strict = layout_.validate(mended->bytes);
    EXPECT_TRUE(strict.empty()) << strict.front().text;
    EXPECT_EQ(strict_look(GetParam(), mended->bytes), "");
    const auto after = layout_.open(mended->bytes);
    ASSERT_TRUE(after);
    Judge(places, good, card, *after, *mended).judge(*before, tally);
  }
  Tally all;
  for (const auto& [loss, tally] : tallies) {
    std::printf(
        "%-12s %zu cards: %zu by name, %zu missed; %zu without entry, %zu missed; %zu wrong, %zu "
        "untold, %zu exits\n",
        kLosses[static_cast<int>(loss)], tally.cards, tally.named, tally.missed, tally.found,
        tally.gone, tally.wrong, tally.untold, tally.bad_exit);
    all.cards += tally.cards;
    all.named += tally.named;
    all.missed += loss == Loss::table && !knows_lengths(GetParam()) ? 0 : tally.missed;
    all.found += tally.found;
    all.gone += tally.gone;
    all.wrong += tally.wrong;
    all.untold += tally.untold;
    all.bad_exit += tally.bad_exit;
  }
  EXPECT_EQ(all.wrong, 0U);
  // Few rounds may hold one unlucky card.
  constexpr std::size_t kUnlucky = 8;
  EXPECT_LE(all.missed, kUnlucky + all.named / 50);
  EXPECT_LE(all.untold, kUnlucky + all.named / 100);
  EXPECT_LE(all.gone, kUnlucky + (all.named + all.found) / 20);
  EXPECT_LE(all.bad_exit, kUnlucky + all.cards / 10);
}

INSTANTIATE_TEST_SUITE_P(Families, DamagedCards,
                         testing::Values("ps1-card", "ps2-card", "ps2-card-ecc", "gc-card",
                                         "dc-card", "n64-pak", "saturn-bram", "pce-bram"),
                         [](const auto& info) {
                           std::string name = info.param;
                           std::ranges::replace(name, '-', '_');
                           return name;
                         });

}  // namespace
}  // namespace bayswap
