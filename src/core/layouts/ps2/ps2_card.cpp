#include "core/layouts/ps2/ps2_card.h"

#include <fmt/core.h>

#include <algorithm>
#include <functional>

#include "core/bytes/cursor.h"
#include "core/bytes/text.h"
#include "core/layouts/common/card_errors.h"
#include "core/layouts/common/card_map.h"
#include "core/layouts/ps2/ps2_pages.h"
#include "core/layouts/ps2/ps2_validate.h"
#include "core/layouts/ps2/ps2_volume.h"
#include "core/layouts/ps2/ps2_writer.h"

namespace bayswap {
namespace {

using namespace ps2;

constexpr std::uint64_t kSmallFiles = 0x4000;  // bytes that listing a save reads, for its icon.sys
constexpr std::array<std::uint32_t, 5> kSizes{8192, 16384, 32768, 65536, 131072};  // clusters

std::uint32_t fillable(const Geometry& geometry) {
  return geometry.usable() - 1;  // the root directory has one
}

Error unreadable() {
  return {Trouble::input,
          Code::damaged,
          "the card's first page is damaged, so nothing can be found",
          {"'", Remedy::mend_card, "' tries the usual places"}};
}

std::uint64_t bytes_of(const Geometry& geometry) {
  return std::uint64_t{geometry.clusters} * kClusterSize;
}

void add_page_findings(const Pages& pages, Findings& findings) {
  if (pages.mended > 0)
    findings.push_back(
        spare_lost(fmt::format("{} {} a wrong bit that the card's code corrects", pages.mended,
                               pages.mended == 1 ? "page has" : "pages have")));
  if (pages.broken_count > 0)
    findings.push_back(damaged(fmt::format("{} {} more wrong bits than the card's code can correct",
                                           pages.broken_count,
                                           pages.broken_count == 1 ? "page has" : "pages have")));
}

CardSave card_save(const Volume& volume, const Pages& pages, const Tree& tree,
                   const std::vector<std::uint32_t>& claims, std::uint64_t& budget) {
  CardSave found;
  found.save = volume.save_of(tree, budget);
  found.blocks = tree.clusters();
  found.block_count = static_cast<std::uint32_t>(found.blocks.size());
  const auto wrong = [&](const std::string& why) {
    found.findings.push_back(damaged(fmt::format("{}: {}", found.save.name, why)));
  };
  if (const std::string broken = tree.broken(); !broken.empty()) wrong(broken);
  if (!is_save_name(tree.entry.name)) wrong("no save can have this name");
  if (std::ranges::any_of(found.blocks, [&](std::uint32_t number) { return claims[number] > 1; }))
    wrong("another save claims its clusters too");
  const std::uint32_t first = volume.geometry().alloc_first;
  if (std::ranges::any_of(found.blocks, [&](std::uint32_t number) {
        return pages.is_broken(std::uint64_t{first} + number);
      }))
    wrong("some of its bytes are wrong, and the card's code cannot correct them");
  else if (std::ranges::any_of(found.blocks, [&](std::uint32_t number) {
             return pages.is_zeroed(std::uint64_t{first} + number);
           }))
    found.findings.push_back(odd_save(found.save, "some of its pages read erased"));
  return found;
}

void draw_map(const Volume& volume, Card& card) {
  card.map.resize(volume.geometry().usable());
  for (std::uint32_t number = 0; number < card.map.size(); ++number)
    if (volume.is_used(number)) card.map[number].state = BlockState::stray;
  draw_saves(card);
  for (const std::uint32_t number : volume.root().blocks)
    if (number < card.map.size()) card.map[number] = {BlockState::system, 0};
}

// Plain files in the root directory belong to no save and stay as they are.
void claim_root_files(const Volume& volume, std::vector<std::uint32_t>& claims, Card& card) {
  for (std::uint32_t i = 2; i < volume.root_length(); ++i) {
    const auto raw = volume.entry_at(volume.root(), i);
    if (raw.empty()) return;
    const Entry entry = parse_entry(raw);
    if (!entry.exists() || entry.directory() || entry.cluster == kNoCluster) continue;
    for (const std::uint32_t number : volume.chain(entry.cluster, false).blocks) {
      ++claims[number];
      if (number < card.map.size()) card.map[number].state = BlockState::system;
    }
  }
}

// Whether the data of a save of this name is wanted.
using WithData = std::function<bool(const std::string&)>;

Card read_saves(const Volume& volume, const Pages& pages, const WithData& with_data) {
  Card card;
  card.block_size = kClusterSize;
  card.blocks_total = fillable(volume.geometry());
  const auto trees = volume.trees(false);
  std::vector<std::uint32_t> claims(volume.geometry().alloc_end);
  for (const Tree& tree : trees)
    for (const std::uint32_t number : tree.clusters()) ++claims[number];
  for (const std::uint32_t number : volume.root().blocks) ++claims[number];
  std::uint64_t shared = 2 * bytes_of(volume.geometry());
  const auto read = [&](const Tree& tree) {
    std::uint64_t small = kSmallFiles;
    return card_save(volume, pages, tree, claims, with_data(tree.entry.name) ? shared : small);
  };
  for (const Tree& tree : trees) card.saves.push_back(read(tree));
  for (const Tree& tree : volume.trees(true)) {
    CardSave gone = read(tree);
    if (gone.findings.empty()) card.deleted.push_back(std::move(gone));
  }
  draw_map(volume, card);
  claim_root_files(volume, claims, card);
  return card;
}

Result<Card> read_card(Pages& pages, const WithData& with_data) {
  const auto geometry = parse_superblock(pages.plain);
  if (!geometry || pages.held > 2 * bytes_of(*geometry)) return tl::unexpected(unreadable());
  const std::uint64_t whole = bytes_of(*geometry);
  if (!is_believable(whole, pages.held)) return tl::unexpected(unreadable());
  Findings findings;
  if (pages.held < whole) findings.push_back(cut_short(pages.held, whole));
  const Volume volume(pages.plain, *geometry);
  if (volume.root().blocks.empty() || volume.root_length() < 2)
    findings.push_back(damaged("the card's root directory cannot be read"));
  if (!volume.has_table()) findings.push_back(damaged("the card's allocation table has holes"));
  if (!volume.root().broken.empty())
    findings.push_back(damaged("the card's root directory is cut: " + volume.root().broken));
  Card card = read_saves(volume, pages, with_data);
  add_page_findings(pages, findings);
  const auto strays = std::ranges::count_if(
      card.map, [](const BlockUse& use) { return use.state == BlockState::stray; });
  if (strays > 0) findings.push_back(stray_blocks(static_cast<std::uint64_t>(strays)));
  card.findings = std::move(findings);
  return card;
}

// The card's new plain bytes take the place of the old ones.
Result<ChangedCard> change_card(Pages& pages, const CardChange& change) {
  const auto geometry = parse_superblock(pages.plain);
  if (!geometry || !is_believable(bytes_of(*geometry), pages.held))
    return tl::unexpected(unreadable());
  pages.plain.resize(static_cast<std::size_t>(bytes_of(*geometry)), std::byte{0xFF});
  Volume volume(pages.plain, *geometry);
  if (!volume.root().broken.empty() || volume.root_length() < 2)
    return fail(Trouble::input, Code::damaged, "the card's root directory cannot be read",
                {"'", Remedy::mend_card, "' rescues what is whole"});
  auto live = volume.trees(false);
  if (auto wrong = no_such_place(change, live.size())) return tl::unexpected(*wrong);
  for (const std::size_t place : change.drop) drop_save(volume, live.at(place));
  live = volume.trees(false);
  auto deleted = volume.trees(true);
  ChangedCard changed;
  std::vector<Tree> purged;
  for (const Save& save : change.put) {
    if (auto wrong = unfit(save)) return tl::unexpected(*wrong);
    if (std::ranges::any_of(live, [&](const Tree& tree) { return tree.entry.name == save.name; }))
      return tl::unexpected(name_taken(save));
    if (!put_save(volume, save, deleted, purged)) {
      const Card card = read_saves(volume, pages, [](const std::string&) { return false; });
      return tl::unexpected(no_room(save, clusters_for(save), card));
    }
    live = volume.trees(false);
  }
  std::uint64_t budget = 0;
  for (const Tree& tree : purged)
    changed.notes.push_back(no_longer_recoverable(volume.save_of(tree, budget)));
  return changed;
}

class Ps2Reading final : public CardReading {
 public:
  Ps2Reading(ByteView file, bool with_spare)
      : file_(file), with_spare_(with_spare), pages_(read_pages(file)) {}

  Result<Card> list(const std::vector<std::string>& with_data) override {
    return read_card(pages_, [&](const std::string& name) {
      return std::ranges::find(with_data, name) != with_data.end();
    });
  }
  Findings validate() override { return validate_ps2(pages_); }
  Result<ChangedCard> change(const CardChange& change) override {
    auto changed = change_card(pages_, change);
    if (changed) changed->bytes = write_pages(std::move(pages_.plain), with_spare_, file_);
    return changed;
  }

 private:
  ByteView file_;
  bool with_spare_;
  Pages pages_;
};

}  // namespace

Ps2CardLayout::Ps2CardLayout(bool with_spare) : with_spare_(with_spare) {
  info_ = {with_spare ? "ps2-card-ecc" : "ps2-card",
           System::ps2,
           Kind::card_save,
           with_spare ? "memory card, spare bytes with its error-correcting code"
                      : "memory card, plain pages",
           {},
           {}};
  card_info_ = {"ps2", "ps2-single", {}, 0, kClusterSize};
  for (const std::uint32_t clusters : kSizes) {
    const std::uint64_t pages = std::uint64_t{clusters} * kPagesPerCluster;
    info_.file_sizes.push_back(pages * (with_spare ? kRawPageSize : kPageSize));
    card_info_.capacities.push_back(fillable(usual_geometry(clusters)));
  }
  card_info_.default_blocks = card_info_.capacities.front();
}

std::optional<Match> Ps2CardLayout::recognise(ByteView file, const Hints& /*hints*/) const {
  if (file.size() < kMagic.size() || has_spare(file) != with_spare_) return std::nullopt;
  const auto& sizes = info_.file_sizes;
  const bool sized = std::ranges::find(sizes, file.size()) != sizes.end();
  const auto geometry = parse_superblock(file);
  if (geometry) {
    const std::uint64_t pages = std::uint64_t{geometry->clusters} * kPagesPerCluster;
    const bool whole = file.size() == pages * (with_spare_ ? kRawPageSize : kPageSize);
    return Match{whole ? Confidence::certain : Confidence::likely, "its superblock says so",
                 Basis::structure};
  }
  if (std::ranges::equal(file.first(kMagic.size()), as_bytes(kMagic)))
    return Match{Confidence::likely, "it begins as a card", Basis::structure};
  if (sized && with_spare_) return Match{Confidence::possible, "it has a card's size", Basis::size};
  return std::nullopt;
}

Result<Card> Ps2CardLayout::open(ByteView file) const {
  Pages pages = read_pages(file);
  return read_card(pages, [](const std::string&) { return true; });
}

Result<Card> Ps2CardLayout::list(ByteView file, const std::vector<std::string>& with_data) const {
  return Ps2Reading(file, with_spare_).list(with_data);
}

Findings Ps2CardLayout::validate(ByteView file) const {
  return validate_ps2(file);
}

bool Ps2CardLayout::is_own_form(ByteView file) const {
  return has_spare(file) == with_spare_;
}

Result<Bytes> Ps2CardLayout::format(std::uint32_t blocks) const {
  for (const std::uint32_t clusters : kSizes) {
    const Geometry geometry = usual_geometry(clusters);
    if (fillable(geometry) == blocks) return write_pages(format_volume(geometry), with_spare_, {});
  }
  return tl::unexpected(wrong_capacity(card_info_, blocks));
}

Result<ChangedCard> Ps2CardLayout::change(ByteView file, const CardChange& change) const {
  return Ps2Reading(file, with_spare_).change(change);
}

std::unique_ptr<CardReading> Ps2CardLayout::reading(ByteView file) const {
  return std::make_unique<Ps2Reading>(file, with_spare_);
}

}  // namespace bayswap
