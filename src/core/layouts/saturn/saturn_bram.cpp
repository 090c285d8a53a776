#include "core/layouts/saturn/saturn_bram.h"

#include <fmt/core.h>

#include <algorithm>

#include "core/bytes/cursor.h"
#include "core/bytes/fill.h"
#include "core/bytes/text.h"
#include "core/layouts/cartridge/chip_layout.h"
#include "core/layouts/common/card_errors.h"
#include "core/layouts/common/card_map.h"
#include "core/layouts/common/edit.h"
#include "core/layouts/saturn/saturn_format.h"
#include "core/layouts/saturn/saturn_validate.h"

namespace bayswap {
namespace {

using namespace saturn;

// The bytes of the memory itself, whatever the form of the file.
Bytes plain_of(ByteView file);

// Whether the format's text stands anywhere in what may be the first block.
bool has_mark(ByteView file) {
  const Bytes start =
      plain_of(file.first(std::min<std::size_t>(file.size(), 2 * kCartridge.block_size)));
  const std::string_view text(reinterpret_cast<const char*>(start.data()), start.size());
  return text.find(kMark) != std::string_view::npos;
}

Bytes plain_of(ByteView file) {
  return is_doubled(file) ? straighten(file.first(file.size() / 2 * 2), Arrangement::odd)
                          : Bytes(file.begin(), file.end());
}

Bytes padded(ByteView plain, const Geometry& geometry) {
  Bytes memory(plain.begin(), plain.begin() + static_cast<std::ptrdiff_t>(
                                                  std::min(plain.size(), geometry.size())));
  memory.resize(geometry.size());
  return memory;
}

std::span<std::byte> block_in(Bytes& memory, const Geometry& geometry, std::uint32_t block) {
  return std::span(memory).subspan((std::size_t{block} + kFirstBlock) * geometry.block_size,
                                   geometry.block_size);
}

void write_marks(Bytes& memory, const Geometry& geometry) {
  for (std::size_t at = 0; at + kMark.size() <= geometry.block_size; at += kMark.size())
    std::ranges::copy(as_bytes(kMark), memory.begin() + static_cast<std::ptrdiff_t>(at));
}

Error too_short() {
  return {Trouble::input, Code::damaged, "too short to hold saturn backup memory",
          "copy or dump it again"};
}

class SaturnEditor final : public CardEditor {
 public:
  explicit SaturnEditor(const Geometry& geometry) : geometry_(geometry) {}

  std::optional<Error> unfit(const Save& save, const Card& /*card*/) const override {
    if (save.system != System::saturn || save.parts.size() != 1)
      return wrong_save(save, "is not a save of saturn backup memory");
    if (save.parts.front().data.empty()) return wrong_save(save, "it has no data");
    if (!is_sensible_header(header_for(save), kCartridge))
      return wrong_save(save, "saturn backup memory needs a name of 1 to 11 letters for it");
    return std::nullopt;
  }

  std::uint32_t blocks_for(const Save& save, const Card& /*card*/) const override {
    return saturn::blocks_for(save.parts.front().data.size(), geometry_);
  }

  void drop(Bytes& memory, const std::vector<const CardSave*>& saves) const override {
    for (const CardSave* save : saves)
      store_be(block_in(memory, geometry_, save->blocks.front()).first(kTagSize), 0);
  }

  // A header that could be taken for a deleted save's goes, so that nobody finds half of one.
  void forget(Bytes& memory, const CardSave& deleted) const override {
    std::ranges::fill(block_in(memory, geometry_, deleted.blocks.front()), std::byte{0});
  }

  Result<void> put(Bytes& memory, const Save& save,
                   const std::vector<std::uint32_t>& blocks) const override {
    Bytes stream = header_for(save);
    const auto add_number = [&](std::uint32_t number) {
      stream.resize(stream.size() + 2);
      store_be(std::span(stream).last(2), number);
    };
    for (std::size_t i = 1; i < blocks.size(); ++i) add_number(blocks[i] + kFirstBlock);
    add_number(0);
    const Bytes& data = save.parts.front().data;
    stream.insert(stream.end(), data.begin(), data.end());
    const std::size_t each = geometry_.block_size - kTagSize;
    stream.resize(each * blocks.size());
    for (std::size_t i = 0; i < blocks.size(); ++i) {
      const auto block = block_in(memory, geometry_, blocks[i]);
      store_be(block.first(kTagSize), i == 0 ? kStartTag : 0);
      std::ranges::copy(ByteView(stream).subspan(i * each, each), block.subspan(kTagSize).begin());
    }
    return {};
  }

 private:
  const Geometry& geometry_;
};

CardSave save_at(ByteView memory, const Geometry& geometry, const Extent& extent) {
  CardSave found;
  found.blocks = extent.chain.blocks;
  found.block_count = static_cast<std::uint32_t>(found.blocks.size());
  found.save = read_save(memory, geometry, extent);
  const auto wrong = [&](const std::string& why) {
    found.findings.push_back(damaged(fmt::format("{}: {}", found.save.name, why)));
  };
  if (!extent.chain.broken.empty()) wrong(extent.chain.broken);
  if (!is_sensible_header(found.save.entry, geometry)) wrong("its name or size makes no sense");
  for (std::size_t i = 1; i < found.blocks.size(); ++i)
    if (tag_of(memory, geometry, found.blocks[i]) != 0) {
      wrong(
          fmt::format("block {} of it is marked as another save's", found.blocks[i] + kFirstBlock));
      break;
    }
  return found;
}

// Saves whose tag was cleared, as long as nobody uses their blocks.
void find_deleted(ByteView memory, const Geometry& geometry, const std::vector<Chain>& live,
                  Card& found) {
  const auto used = count_claims(live, geometry.users());
  std::vector<Chain> chains;
  for (std::uint32_t block = 0; block < geometry.users(); ++block) {
    if (used[block] != 0 || tag_of(memory, geometry, block) != 0 ||
        !is_plausible_header(block_at(memory, geometry, block).subspan(kTagSize, kHeaderSize),
                             geometry))
      continue;
    const Extent extent = extent_of(memory, geometry, block);
    if (!extent.chain.broken.empty()) continue;
    CardSave save = save_at(memory, geometry, extent);
    const bool reused =
        std::ranges::any_of(save.blocks, [&](std::uint32_t b) { return used[b] != 0; });
    if (reused || !save.findings.empty()) continue;
    chains.push_back(extent.chain);
    found.deleted.push_back(std::move(save));
  }
  const auto claims = count_claims(chains, geometry.users());
  std::erase_if(found.deleted, [&](const CardSave& save) {
    return std::ranges::any_of(save.blocks, [&](std::uint32_t b) { return claims[b] > 1; });
  });
}

}  // namespace

SaturnBramLayout::SaturnBramLayout(bool doubled) : doubled_(doubled) {
  const std::size_t factor = doubled ? 2 : 1;
  info_ = {doubled ? "saturn-bram-odd" : "saturn-bram",
           System::saturn,
           Kind::card_save,
           doubled ? "backup memory at odd offsets, internal or cartridge"
                   : "backup memory, internal or cartridge",
           {std::string(kDataPart)},
           {kInternal.size() * factor, kCartridge.size() * factor}};
  card_info_ = {"saturn",
                "saturn-single",
                {kInternal.users(), kCartridge.users()},
                kInternal.users(),
                kInternal.block_size,
                kNameLength,
                {}};
}

bool SaturnBramLayout::is_own_form(ByteView file) const {
  return is_doubled(file) == doubled_;
}

std::optional<Match> SaturnBramLayout::recognise(ByteView file, const Hints& /*hints*/) const {
  if (is_doubled(file) != doubled_ || !has_mark(file)) return std::nullopt;
  const Bytes plain =
      plain_of(file.first(std::min<std::size_t>(file.size(), 2 * kCartridge.size())));
  const bool sized = std::ranges::find(info_.file_sizes, file.size()) != info_.file_sizes.end();
  const MarkCount marks = count_marks(plain, geometry_of(plain));
  if (marks.right == 0 || (!sized && marks.right * 2 < marks.places)) return std::nullopt;
  const bool whole = sized && marks.right * 2 >= marks.places;
  return Match{whole ? Confidence::certain : Confidence::likely, "its first block names the format",
               Basis::structure};
}

Result<Card> SaturnBramLayout::open(ByteView file) const {
  const Bytes plain = plain_of(file);
  const Geometry geometry = geometry_of(plain);
  if (plain.size() < (kFirstBlock + 1) * geometry.block_size) return tl::unexpected(too_short());
  const Bytes memory = padded(plain, geometry);
  Card found;
  found.block_size = geometry.block_size;
  found.blocks_total = geometry.users();
  found.map.resize(geometry.users());
  if (plain.size() < geometry.size())
    found.findings.push_back(cut_short(plain.size(), geometry.size()));
  for (Finding& finding : validate_saturn_mark(plain)) found.findings.push_back(std::move(finding));
  std::vector<Chain> chains;
  for (std::uint32_t block = 0; block < geometry.users(); ++block)
    if (tag_of(memory, geometry, block) == kStartTag) {
      const Extent extent = extent_of(memory, geometry, block);
      chains.push_back(extent.chain);
      found.saves.push_back(save_at(memory, geometry, extent));
    }
  const auto claims = count_claims(chains, geometry.users());
  std::uint64_t strays = 0;
  for (CardSave& save : found.saves) {
    const auto last = std::ranges::max_element(save.blocks);
    if ((std::size_t{*last} + kFirstBlock + 1) * geometry.block_size > plain.size())
      save.findings.push_back(runs_out(save.save));
    for (const std::uint32_t block : save.blocks)
      if (claims[block] > 1) {
        save.findings.push_back(damaged(fmt::format("{}: block {} is claimed by another save too",
                                                    save.save.name, block + kFirstBlock)));
        break;
      }
  }
  for (std::uint32_t block = 0; block < geometry.users(); ++block)
    if (claims[block] == 0 && tag_of(memory, geometry, block) != 0) {
      found.map[block].state = BlockState::stray;
      ++strays;
    }
  find_deleted(memory, geometry, chains, found);
  draw_saves(found);
  if (strays > 0) found.findings.push_back(stray_blocks(strays));
  return found;
}

Findings SaturnBramLayout::validate(ByteView file) const {
  Findings findings = validate_saturn(plain_of(file));
  if (is_doubled(file) && file.size() % 2 != 0)
    findings.push_back(damaged("a byte comes after the memory"));
  return findings;
}

Result<Bytes> SaturnBramLayout::format(std::uint32_t blocks) const {
  const Geometry& geometry = blocks == kInternal.users() ? kInternal : kCartridge;
  if (blocks != geometry.users()) return tl::unexpected(wrong_capacity(card_info_, blocks));
  Bytes memory(geometry.size());
  write_marks(memory, geometry);
  return doubled_ ? arrange(memory, Arrangement::odd, kErasedOnes) : memory;
}

Result<ChangedCard> SaturnBramLayout::change(ByteView file, const CardChange& change) const {
  const Bytes plain = plain_of(file);
  const Geometry geometry = geometry_of(plain);
  if (plain.size() < (kFirstBlock + 1) * geometry.block_size) return tl::unexpected(too_short());
  Bytes memory = padded(plain, geometry);
  write_marks(memory, geometry);
  // What is put is read again in the plain form, whatever form this layout writes.
  static const SaturnBramLayout kPlain(false);
  auto changed = change_saves(kPlain, SaturnEditor(geometry), std::move(memory), change);
  if (!changed || !doubled_) return changed;
  const std::byte filler = is_doubled(file) ? file.front() : kErasedOnes;
  changed->bytes = arrange(changed->bytes, Arrangement::odd, filler);
  return changed;
}

}  // namespace bayswap
