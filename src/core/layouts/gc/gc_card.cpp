#include "core/layouts/gc/gc_card.h"

#include <fmt/core.h>

#include <algorithm>

#include "core/bytes/cursor.h"
#include "core/bytes/fill.h"
#include "core/layouts/common/card_errors.h"
#include "core/layouts/common/card_map.h"
#include "core/layouts/common/chains.h"
#include "core/layouts/gc/gc_format.h"
#include "core/layouts/gc/gc_validate.h"

namespace bayswap {
namespace {

using namespace gc;

Bytes padded_card(ByteView file, std::uint32_t capacity) {
  const std::size_t size = (capacity + kSystemBlocks) * kBlockSize;
  Bytes card;
  card.reserve(size);
  card.assign(file.begin(),
              file.begin() + static_cast<std::ptrdiff_t>(std::min(file.size(), size)));
  card.resize(size);
  return card;
}

Chain chain_of(ByteView map, std::uint32_t capacity, std::uint32_t first) {
  return follow_chain(first, capacity, [&](std::uint32_t block) -> Link {
    const std::uint16_t next = map_entry(map, block);
    if (next == kMapEnd) return {Link::Kind::end, 0, {}};
    if (next < kSystemBlocks)
      return {Link::Kind::broken, 0,
              fmt::format("its chain breaks at block {}", block + kSystemBlocks)};
    return {Link::Kind::next, next - kSystemBlocks, {}};
  });
}

// First blocks are absolute; a senseless one becomes a number that no card has.
std::uint32_t first_of(const Entry& entry) {
  return entry.first >= kSystemBlocks ? entry.first - kSystemBlocks : 0xFFFF;
}

Bytes data_of(ByteView card, const std::vector<std::uint32_t>& blocks) {
  Bytes data;
  data.reserve(blocks.size() * kBlockSize);
  for (const std::uint32_t block : blocks) {
    const ByteView bytes = block_of(card, block + kSystemBlocks);
    data.insert(data.end(), bytes.begin(), bytes.end());
  }
  return data;
}

struct Found {
  std::size_t place = 0;  // in the directory
  Chain chain;
};

class Reader {
 public:
  Reader(ByteView card, std::uint32_t capacity)
      : card_(card), capacity_(capacity), shift_jis_(Cursor(card).u16be(kEncoding) == 1) {
    const auto directory = current_directory(card);
    const auto map = current_map(card);
    directory_ = block_of(card, 1 + directory.value_or(0));
    map_ = block_of(card, 3 + map.value_or(0));
    spare_directory_ = block_of(card, 2 - directory.value_or(0));
    spare_map_ = block_of(card, 4 - map.value_or(0));
  }

  Card read() {
    Card found;
    found.block_size = kBlockSize;
    found.blocks_total = capacity_;
    for (std::size_t i = 0; i < kEntries; ++i) {
      const ByteView entry = directory_.subspan(i * kEntrySize, kEntrySize);
      if (!is_filled(entry, kErasedOnes) && is_entry(entry)) {
        chains_.push_back(chain_of(map_, capacity_, first_of(parse_entry(entry))));
        places_.push_back(i);
      }
    }
    const auto claims = count_claims(chains_, capacity_);
    for (std::size_t i = 0; i < chains_.size(); ++i) found.saves.push_back(live_save(i, claims));
    find_deleted(found);
    draw_map(found);
    return found;
  }

  [[nodiscard]] const std::vector<std::size_t>& places() const { return places_; }

 private:
  CardSave live_save(std::size_t i, const std::vector<std::uint32_t>& claims) {
    const ByteView entry = directory_.subspan(places_[i] * kEntrySize, kEntrySize);
    const Chain& chain = chains_[i];
    CardSave found;
    found.blocks = chain.blocks;
    found.block_count = parse_entry(entry).blocks;
    // Entries of a hostile card may claim the same blocks over and over.
    data_read_ += chain.blocks.size();
    found.save = make_save(
        entry, data_read_ <= std::size_t{2} * capacity_ ? data_of(card_, chain.blocks) : Bytes{},
        shift_jis_);
    const auto wrong = [&](const std::string& why) {
      found.findings.push_back(damaged(fmt::format("{}: {}", found.save.name, why)));
    };
    if (!chain.broken.empty()) wrong(chain.broken);
    if (chain.broken.empty() && chain.blocks.size() != found.block_count)
      wrong(fmt::format("its entry says {} blocks, its chain has {}", found.block_count,
                        chain.blocks.size()));
    for (const std::uint32_t block : chain.blocks)
      if (claims[block] > 1)
        wrong(fmt::format("block {} is claimed by another save too", block + kSystemBlocks));
    return found;
  }

  // The spare copies may still tell a save that the current ones have let go of.
  void find_deleted(Card& found) {
    if (!directory_holds(spare_directory_) || !map_holds(spare_map_)) return;
    for (std::size_t i = 0; i < kEntries; ++i) {
      const ByteView entry = spare_directory_.subspan(i * kEntrySize, kEntrySize);
      if (!is_entry(entry)) continue;
      const Entry parsed = parse_entry(entry);
      const Chain chain = chain_of(spare_map_, capacity_, first_of(parsed));
      const bool all_free =
          std::all_of(chain.blocks.begin(), chain.blocks.end(),
                      [&](std::uint32_t block) { return map_entry(map_, block) == 0; });
      if (!chain.broken.empty() || chain.blocks.size() != parsed.blocks || !all_free) continue;
      data_read_ += chain.blocks.size();
      if (data_read_ > std::size_t{2} * capacity_) return;
      CardSave gone;
      gone.save = make_save(entry, data_of(card_, chain.blocks), shift_jis_);
      gone.blocks = chain.blocks;
      gone.block_count = parsed.blocks;
      const std::string identity = identity_of(gone.save);
      if (std::none_of(found.saves.begin(), found.saves.end(),
                       [&](const CardSave& live) { return identity_of(live.save) == identity; }))
        found.deleted.push_back(std::move(gone));
    }
  }

  void draw_map(Card& found) const {
    found.map.resize(capacity_);
    for (std::uint32_t block = 0; block < capacity_; ++block)
      if (map_entry(map_, block) != 0) found.map[block].state = BlockState::stray;
    draw_saves(found);
  }

  ByteView card_;
  std::uint32_t capacity_;
  bool shift_jis_;
  ByteView directory_;
  ByteView map_;
  ByteView spare_directory_;
  ByteView spare_map_;
  std::vector<std::size_t> places_;
  std::vector<Chain> chains_;
  std::size_t data_read_ = 0;  // blocks
};

// One directory and one map in memory, written to both of their places in the end.
class Writer {
 public:
  Writer(Bytes card, std::uint32_t capacity) : card_(std::move(card)), capacity_(capacity) {
    const auto copy_of = [&](std::uint32_t block) {
      const ByteView bytes = block_of(card_, block);
      return Bytes(bytes.begin(), bytes.end());
    };
    directory_ = copy_of(1 + current_directory(card_).value_or(0));
    map_ = copy_of(3 + current_map(card_).value_or(0));
    for (const std::uint32_t copy : {1U, 2U})
      counter_ = std::max(counter_, counter_in(copy, kDirectoryCounter, directory_holds));
    for (const std::uint32_t copy : {3U, 4U})
      map_counter_ = std::max(map_counter_, counter_in(copy, kMapCounter, map_holds));
  }

  void drop(std::size_t place, const std::vector<std::uint32_t>& blocks) {
    std::ranges::fill(entry_at(place), kErasedOnes);
    for (const std::uint32_t block : blocks) set_map(block, 0);
  }

  [[nodiscard]] std::optional<std::size_t> free_place() const {
    for (std::size_t i = 0; i < kEntries; ++i)
      if (!is_entry(ByteView(directory_).subspan(i * kEntrySize, kEntrySize))) return i;
    return std::nullopt;
  }

  void put(std::size_t place, const Save& save, const std::vector<std::uint32_t>& blocks) {
    const Bytes entry = entry_for(save);
    const auto target = entry_at(place);
    std::ranges::copy(entry, target.begin());
    store_be(target.subspan(kFirstBlock, 2), blocks.front() + kSystemBlocks);
    for (std::size_t i = 0; i < blocks.size(); ++i) {
      set_map(blocks[i], i + 1 < blocks.size()
                             ? static_cast<std::uint16_t>(blocks[i + 1] + kSystemBlocks)
                             : kMapEnd);
      std::ranges::copy(ByteView(save.parts.front().data).subspan(i * kBlockSize, kBlockSize),
                        std::span(card_).subspan((blocks[i] + kSystemBlocks) * kBlockSize).begin());
    }
    store_be(std::span(map_).subspan(kMapLast, 2), blocks.back() + kSystemBlocks);
  }

  // Both copies get the new content, so that either can stand for the other.
  Bytes sealed() {
    std::uint32_t free = 0;
    for (std::uint32_t block = 0; block < capacity_; ++block)
      if (map_entry(map_, block) == 0) ++free;
    store_be(std::span(map_).subspan(kMapFree, 2), free);
    tidy_map();
    for (std::size_t i = 0; i < kEntries; ++i)
      if (!is_entry(entry_at(i))) std::ranges::fill(entry_at(i), kErasedOnes);
    // Counters compare signed: long before they wrap they start anew.
    constexpr std::int16_t kHighest = 0x7FF0;
    if (counter_ >= kHighest) counter_ = -1;
    if (map_counter_ >= kHighest) map_counter_ = -1;
    for (std::uint32_t copy = 0; copy < 2; ++copy) {
      store_be(std::span(directory_).subspan(kDirectoryCounter, 2), next(counter_));
      seal(directory_, kDirectoryCheck, ByteView(directory_).first(kDirectoryCheck));
      store(1 + copy, directory_);
      store_be(std::span(map_).subspan(kMapCounter, 2), next(map_counter_));
      seal(map_, kMapCheck, ByteView(map_).subspan(kMapChecked));
      store(3 + copy, map_);
    }
    const auto header = std::span(card_).first(kBlockSize);
    const bool known_text = Cursor(header).u16be(kEncoding) <= 1;
    if (!known_text) store_be(header.subspan(kEncoding, 2), 0);
    if (!header_holds(header)) {
      store_be(header.subspan(kMbit, 2), (capacity_ + kSystemBlocks) / kBlocksPerMbit);
      seal(header, kHeaderCheck, ByteView(header).first(kHeaderCheck));
    }
    return std::move(card_);
  }

 private:
  [[nodiscard]] std::int16_t counter_in(std::uint32_t block, std::size_t field,
                                        bool (*holds)(ByteView)) const {
    const ByteView bytes = block_of(card_, block);
    return holds(bytes) ? static_cast<std::int16_t>(Cursor(bytes).u16be(field)) : std::int16_t{-1};
  }
  static std::uint16_t next(std::int16_t& counter) {
    counter = static_cast<std::int16_t>(counter + 1);
    return static_cast<std::uint16_t>(counter);
  }
  static void seal(std::span<std::byte> block, std::size_t check, ByteView covered) {
    const Checks checks = checks_of(covered);
    store_be(block.subspan(check, 2), checks.sum);
    store_be(block.subspan(check + 2, 2), checks.inverse);
  }
  // Nothing stands behind the last block's entry, and the block given out last is one of the
  // card's.
  void tidy_map() {
    std::ranges::fill(std::span(map_).subspan(kMapEntries + std::size_t{capacity_} * 2),
                      std::byte{0});
    const auto last = std::span(map_).subspan(kMapLast, 2);
    const std::uint16_t stored = Cursor(last).u16be(0);
    if (stored >= kSystemBlocks - 1 && stored < capacity_ + kSystemBlocks) return;
    std::uint32_t highest = kSystemBlocks - 1;
    for (std::uint32_t block = 0; block < capacity_; ++block)
      if (map_entry(map_, block) != 0) highest = block + kSystemBlocks;
    store_be(last, highest);
  }
  void store(std::uint32_t block, const Bytes& bytes) {
    std::ranges::copy(bytes, std::span(card_).subspan(block * kBlockSize).begin());
  }
  std::span<std::byte> entry_at(std::size_t place) {
    return std::span(directory_).subspan(place * kEntrySize, kEntrySize);
  }
  void set_map(std::uint32_t block, std::uint16_t value) {
    store_be(std::span(map_).subspan(kMapEntries + std::size_t{block} * 2, 2), value);
  }

  Bytes card_;
  std::uint32_t capacity_;
  Bytes directory_;
  Bytes map_;
  std::int16_t counter_ = -1;
  std::int16_t map_counter_ = -1;
};

std::optional<Error> unfit(const Save& save) {
  if (save.system != System::gc || save.parts.size() != 1)
    return wrong_save(save, "is not a save of a gc card");
  const std::size_t size = save.parts.front().data.size();
  if (size == 0 || size % kBlockSize != 0 || size > kCapacities.back() * kBlockSize)
    return wrong_save(save, fmt::format("{} bytes are not whole blocks of 8 KiB", size));
  if (save.game.code.size() != 4 || save.game.maker.size() != 2 || save.name.empty())
    return wrong_save(save, "a gc card needs its game code, maker and name");
  return std::nullopt;
}

}  // namespace

GcCardLayout::GcCardLayout() {
  info_ = {"gc-card",
           System::gc,
           Kind::card_save,
           "memory card, 59 to 2043 blocks",
           {std::string(kDataPart)},
           {}};
  for (const std::uint32_t capacity : kCapacities)
    info_.file_sizes.push_back((capacity + kSystemBlocks) * kBlockSize);
  card_info_ = {
      "gc", "gc-single", {kCapacities.begin(), kCapacities.end()}, kDefaultCapacity, kBlockSize};
}

std::optional<Match> GcCardLayout::recognise(ByteView file, const Hints& /*hints*/) const {
  if (file.size() < kSystemBlocks * kBlockSize) return std::nullopt;
  const auto& sizes = info_.file_sizes;
  const bool sized = std::find(sizes.begin(), sizes.end(), file.size()) != sizes.end();
  const bool header =
      header_holds(block_of(file, 0)) && Cursor(file).u16be(kMbit) != 0 && capacity_of(file) != 0;
  const bool tables = current_directory(file) && current_map(file) &&
                      !is_erased(block_of(file, 1)) && !is_erased(block_of(file, 3));
  if (header && tables)
    return Match{sized ? Confidence::certain : Confidence::likely,
                 "the checks of header, directory and map hold", Basis::structure};
  if (header || (tables && sized))
    return Match{Confidence::likely,
                 header ? "the check of its header holds" : "the checks of directory and map hold",
                 Basis::structure};
  return std::nullopt;
}

Result<Card> GcCardLayout::open(ByteView file) const {
  const std::uint32_t capacity = capacity_of(file);
  if (file.size() < kSystemBlocks * kBlockSize || capacity == 0)
    return fail(Trouble::input, Code::damaged, "too short or too long for a gc card",
                "copy or dump the card again");
  const Bytes card = padded_card(file, capacity);
  if (!current_directory(card) && !current_map(card))
    return fail(Trouble::input, Code::damaged,
                "both copies of the directory and of the map are damaged",
                {"'", Remedy::mend_card, "' looks for what is whole"});
  Card found = Reader(card, capacity).read();
  if (file.size() < card.size()) found.findings.push_back(cut_short(file.size(), card.size()));
  for (Finding& finding : validate_gc_system(card)) found.findings.push_back(std::move(finding));
  const auto strays = std::count_if(found.map.begin(), found.map.end(), [](const BlockUse& use) {
    return use.state == BlockState::stray;
  });
  if (strays > 0) found.findings.push_back(stray_blocks(static_cast<std::uint64_t>(strays)));
  return found;
}

Findings GcCardLayout::validate(ByteView file) const {
  return validate_gc(file);
}

Result<Bytes> GcCardLayout::format(std::uint32_t blocks) const {
  if (std::find(kCapacities.begin(), kCapacities.end(), blocks) == kCapacities.end())
    return tl::unexpected(wrong_capacity(card_info_, blocks));
  Bytes card((blocks + kSystemBlocks) * kBlockSize);
  std::fill_n(card.begin(), kBlockSize, kErasedOnes);
  std::fill_n(card.begin(), 0x26, std::byte{0});
  store_be(std::span(card).subspan(kMbit, 2), (blocks + kSystemBlocks) / kBlocksPerMbit);
  std::fill_n(card.begin() + kBlockSize, 2 * kBlockSize, kErasedOnes);
  store_be(std::span(card).subspan(3 * kBlockSize + kMapLast, 2), kSystemBlocks - 1);
  store_be(std::span(card).subspan(4 * kBlockSize + kMapLast, 2), kSystemBlocks - 1);
  return Writer(std::move(card), blocks).sealed();
}

Result<Bytes> GcCardLayout::format_like(ByteView damaged_card, std::uint32_t blocks) const {
  auto card = format(blocks);
  // Some games seal their saves to the header of the card that they were made on.
  if (card && damaged_card.size() >= kBlockSize && header_holds(block_of(damaged_card, 0)) &&
      Cursor(damaged_card).u16be(kMbit) * kBlocksPerMbit == blocks + kSystemBlocks)
    std::ranges::copy(block_of(damaged_card, 0), card->begin());
  return card;
}

std::string GcCardLayout::identity(const Save& save) const {
  return identity_of(save);
}

Result<ChangedCard> GcCardLayout::change(ByteView file, const CardChange& change) const {
  const std::uint32_t capacity = capacity_of(file);
  if (file.size() < kSystemBlocks * kBlockSize || capacity == 0)
    return fail(Trouble::input, Code::damaged, "too short or too long for a gc card");
  Bytes bytes = padded_card(file, capacity);
  Reader reader(bytes, capacity);
  const Card card = reader.read();
  const std::vector<CardSave> recoverable = card.deleted;
  if (auto wrong = no_such_place(change, card.saves.size())) return tl::unexpected(*wrong);
  Writer writer(bytes, capacity);
  for (const std::size_t place : change.drop)
    writer.drop(reader.places().at(place), card.saves.at(place).blocks);
  if (!change.drop.empty() || change.put.empty()) bytes = writer.sealed();
  ChangedCard changed;
  for (const Save& save : change.put) {
    if (auto wrong = unfit(save)) return tl::unexpected(*wrong);
    const Card now = Reader(bytes, capacity).read();
    if (std::any_of(now.saves.begin(), now.saves.end(), [&](const CardSave& on_card) {
          return identity_of(on_card.save) == identity_of(save);
        }))
      return tl::unexpected(name_taken(save));
    const auto count = static_cast<std::uint32_t>(save.parts.front().data.size() / kBlockSize);
    if (count > now.blocks_free) return tl::unexpected(no_room(save, count, now));
    Writer next(std::move(bytes), capacity);
    const auto place = next.free_place();
    if (!place) return tl::unexpected(no_free_entry(save, kEntries));
    next.put(*place, save, choose_blocks(now, count));
    bytes = next.sealed();
  }
  if (!change.drop.empty() || !change.put.empty())
    for (const CardSave& gone : recoverable)
      changed.notes.push_back(no_longer_recoverable(gone.save));
  changed.bytes = std::move(bytes);
  return changed;
}

}  // namespace bayswap
