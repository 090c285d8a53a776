// What a damaged ps2 card still gives.
#include <fmt/core.h>

#include <algorithm>
#include <set>

#include "core/bytes/cursor.h"
#include "core/bytes/fill.h"
#include "core/layouts/common/card_errors.h"
#include "core/layouts/common/chains.h"
#include "core/layouts/ps2/ps2_card.h"
#include "core/layouts/ps2/ps2_pages.h"
#include "core/layouts/ps2/ps2_rebuild.h"
#include "core/layouts/ps2/ps2_volume.h"

namespace bayswap {
namespace {

using namespace ps2;

struct Candidate {
  Tree tree;
  std::vector<std::string> what;  // what was repaired, or why it is lost
  bool lost = false;
  bool doubtful = false;  // some of its clusters may be another save's
};

class Salvager {
 public:
  /// `made`: clusters whose links were made again.
  Salvager(Pages& pages, const Geometry& geometry, std::set<std::uint32_t> made)
      : pages_(pages), volume_(pages.plain, geometry), made_(std::move(made)) {}

  void run(Salvage& salvage) {
    find_listed();
    find_orphans();
    claim_clusters();
    std::uint64_t budget = 2 * std::uint64_t{volume_.geometry().clusters} * kClusterSize;
    for (const Candidate& candidate : candidates_)
      salvage.saves.push_back(rescue(candidate, budget));
    salvage.unnamed = has_unclaimed();
  }

 private:
  // Whether the tables that say which saves there are can't be believed.
  [[nodiscard]] bool lists_are_damaged() const {
    const Chain& root = volume_.root();
    if (!volume_.has_table() || !root.broken.empty() || root.blocks.empty() ||
        volume_.root_length() < 2 || volume_.root_length() > root.blocks.size() * 2)
      return true;
    const auto dot = volume_.entry_at(root, 0);
    return dot.empty() || parse_entry(dot).name != ".";
  }

  // Whether clusters are in use, or hold something where no table tells, and are no save's.
  [[nodiscard]] bool has_unclaimed() const {
    std::set<std::uint32_t> claimed(volume_.root().blocks.begin(), volume_.root().blocks.end());
    for (const Candidate& candidate : candidates_)
      for (const std::uint32_t number : candidate.tree.clusters()) claimed.insert(number);
    const bool damaged_lists = lists_are_damaged();
    for (std::uint32_t number = 0; number < volume_.geometry().alloc_end; ++number) {
      if (claimed.contains(number)) continue;
      const auto bytes = volume_.cluster(number);
      const bool in_use = volume_.has_table() && volume_.is_used(number);
      if ((in_use || damaged_lists) && !bytes.empty() && !is_erased(bytes)) return true;
    }
    return false;
  }

  // Saves that the root directory names. Where its chain is broken, the rest are orphans.
  void find_listed() {
    for (Tree& tree : volume_.trees(false)) {
      candidates_.push_back({std::move(tree), {}});
      Candidate& listed = candidates_.back();
      if (is_save_name(listed.tree.entry.name)) continue;
      listed.tree.entry.name = fmt::format("RESCUED-{}", listed.tree.entry.cluster);
      listed.what.push_back("its name was none that a save can have, so it is now " +
                            listed.tree.entry.name);
    }
    const Chain& root = volume_.root();
    if (volume_.root_length() >= 2 || root.blocks.empty()) return;
    // The root's own entry is destroyed: every entry behind it that makes sense counts.
    for (std::uint32_t i = 2; i < root.blocks.size() * 2; ++i) {
      const auto raw = volume_.entry_at(root, i);
      if (raw.empty()) break;
      const Entry entry = parse_entry(raw);
      if (entry.exists() && entry.directory() && entry.name.size() > 2)
        candidates_.push_back({volume_.tree(i, false), {}});
    }
  }

  // Directories that nobody names, found by their own first entries.
  void find_orphans() {
    std::set<std::uint32_t> claimed(volume_.root().blocks.begin(), volume_.root().blocks.end());
    for (const Candidate& candidate : candidates_)
      for (const std::uint32_t number : candidate.tree.clusters()) claimed.insert(number);
    for (std::uint32_t number = 1; number < volume_.geometry().alloc_end; ++number) {
      if (claimed.contains(number) || !begins_directory(number)) continue;
      if (volume_.has_table() && !volume_.is_used(number)) continue;
      Candidate found;
      const std::uint32_t entries = count_entries(number);
      const std::string name = fmt::format("RESCUED-{}", number);
      const Bytes raw = entry_for({}, kUsualDirectory, entries, number, name, std::nullopt);
      found.tree = volume_.tree_from(raw, 0, false);
      if (found.tree.nodes.empty()) continue;
      found.what.push_back("a directory that nothing leads to; its name is lost, so it is now " +
                           name);
      for (const std::uint32_t block : found.tree.clusters()) claimed.insert(block);
      candidates_.push_back(std::move(found));
    }
  }

  [[nodiscard]] bool begins_directory(std::uint32_t number) const {
    const auto bytes = volume_.cluster(number);
    if (bytes.empty()) return false;
    const Entry dot = parse_entry(bytes.first(kEntrySize));
    const Entry up = parse_entry(bytes.subspan(kEntrySize, kEntrySize));
    return dot.directory() && dot.exists() && dot.name == "." && up.name == ".." &&
           dot.cluster == volume_.geometry().root && dot.own_index > 0;
  }

  // Entries of a directory whose length is lost: as far as its chain holds ones that make sense.
  [[nodiscard]] std::uint32_t count_entries(std::uint32_t first) const {
    const Chain chain = volume_.chain(first, false);
    std::uint32_t entries = 2;
    for (std::uint32_t i = 2; i < chain.blocks.size() * 2; ++i) {
      const auto raw = volume_.entry_at(chain, i);
      if (raw.empty()) break;
      const Entry entry = parse_entry(raw);
      const bool sensible = (entry.mode & (kFileBit | kDirectoryBit)) != 0 && !entry.name.empty();
      if (sensible) entries = i + 1;
    }
    return entries;
  }

  // Every file and directory claims its clusters.
  void claim_clusters() {
    std::vector<Claim> claims;
    std::vector<bool> named(volume_.geometry().alloc_end);
    const auto claim = [&](const Chain& chain, std::uint32_t wanted, int trust) {
      Claim made;
      made.chain = chain;
      made.wanted = wanted;
      made.trust = trust;
      for (const std::uint32_t number : chain.blocks) named[number] = true;
      // What a broken chain ran into was never its own.
      if (!chain.broken.empty() && !made.chain.blocks.empty() &&
          !volume_.is_used(made.chain.blocks.back()) && made.chain.blocks.size() > 1)
        made.chain.blocks.pop_back();
      claims.push_back(std::move(made));
    };
    claim(volume_.root(), 0, 9);
    for (const Candidate& candidate : candidates_) {
      const bool whole = candidate.tree.broken().empty();
      const Tree& tree = candidate.tree;
      claim(tree.chain,
            std::max<std::uint32_t>(tree.wanted, directory_length(tree.chain, tree.wanted)),
            whole ? 3 : 2);
      for (const Node& node : tree.nodes)
        if (node.wanted > 0)
          claim(node.chain,
                node.entry.directory() ? directory_length(node.chain, node.wanted) : node.wanted,
                whole ? 2 : 1);
    }
    std::vector<bool> loose(volume_.geometry().alloc_end);
    for (std::uint32_t number = 0; number < loose.size(); ++number)
      loose[number] = !named[number] && (volume_.is_used(number) || !volume_.has_table());
    settle_claims(claims, loose);
    take_back(claims);
  }

  // A directory may have more clusters than its length asks for.
  static std::uint32_t directory_length(const Chain& chain, std::uint32_t wanted) {
    if (!chain.broken.empty()) return wanted;
    return std::max(wanted, static_cast<std::uint32_t>(chain.blocks.size()));
  }

  void take_back(const std::vector<Claim>& claims) {
    std::size_t next = 1;
    for (Candidate& candidate : candidates_) {
      apply(candidate, candidate.tree.chain, "", claims[next++]);
      for (Node& node : candidate.tree.nodes)
        if (node.wanted > 0) apply(candidate, node.chain, node.path + ": ", claims[next++]);
    }
  }

  void apply(Candidate& candidate, Chain& chain, const std::string& whose, const Claim& claim) {
    for (const std::string& what : claim.what) candidate.what.push_back(whose + what);
    if (claim.lost) candidate.lost = true;
    if (claim.doubtful) candidate.doubtful = true;
    chain = claim.chain;
  }

  [[nodiscard]] bool has_broken_pages(const Tree& tree) const {
    const auto clusters = tree.clusters();
    return std::ranges::any_of(clusters, [&](std::uint32_t number) {
      return pages_.is_broken(std::uint64_t{volume_.geometry().alloc_first} + number);
    });
  }

  [[nodiscard]] bool cut_off(const Tree& tree) const {
    const auto clusters = tree.clusters();
    return std::ranges::any_of(clusters, [&](std::uint32_t number) {
      return (std::uint64_t{volume_.geometry().alloc_first} + number + 1) * kClusterSize >
             pages_.held;
    });
  }

  Rescue rescue(const Candidate& candidate, std::uint64_t& budget) {
    Rescue rescue;
    rescue.save = volume_.save_of(candidate.tree, budget);
    rescue.what = candidate.what;
    const auto clusters = candidate.tree.clusters();
    if (std::ranges::any_of(clusters, [&](std::uint32_t number) { return made_.contains(number); }))
      rescue.what.emplace_back(
          "its chains were lost and are rebuilt as a console usually lays files out: try it in the "
          "game before you rely on it");
    if (candidate.lost) {
      rescue.state = RescueState::lost;
    } else if (cut_off(candidate.tree)) {
      rescue.state = RescueState::lost;
      rescue.what.emplace_back("part of it is past the end of the file");
    } else if (candidate.doubtful) {
      rescue.state = RescueState::damaged;
    } else if (has_broken_pages(candidate.tree)) {
      rescue.state = RescueState::damaged;
      rescue.what.emplace_back(
          "some of its bytes are wrong, and the card's code cannot correct them");
    } else {
      rescue.state = rescue.what.empty() ? RescueState::whole : RescueState::repaired;
    }
    if (rescue.state == RescueState::lost) rescue.save.parts.clear();
    return rescue;
  }

  Pages& pages_;
  Volume volume_;
  std::set<std::uint32_t> made_;
  std::vector<Candidate> candidates_;
};

// The geometry that a card of this size usually has, where its superblock is destroyed.
std::optional<Geometry> guessed_geometry(std::uint64_t plain_size) {
  for (const std::uint32_t clusters : {8192U, 16384U, 32768U, 65536U, 131072U})
    if (plain_size <= std::uint64_t{clusters} * kClusterSize &&
        plain_size > std::uint64_t{clusters} * kClusterSize / 2)
      return usual_geometry(clusters);
  return std::nullopt;
}

// Whether the root directory begins where the geometry says.
bool finds_root(const Bytes& plain, const Geometry& geometry) {
  const std::uint64_t at = (std::uint64_t{geometry.alloc_first} + geometry.root) * kClusterSize;
  const auto cluster = slice(plain, static_cast<std::size_t>(at), kClusterSize);
  if (!cluster) return false;
  const Entry dot = parse_entry(cluster->first(kEntrySize));
  const Entry up = parse_entry(cluster->subspan(kEntrySize));
  return dot.directory() && dot.name == "." && up.name == "..";
}

// The superblock's geometry; where that is destroyed or leads nowhere, the usual one for the size.
std::optional<Geometry> find_geometry(const Pages& pages, Findings& findings) {
  auto geometry = parse_superblock(pages.plain);
  if (geometry && !is_believable(std::uint64_t{geometry->clusters} * kClusterSize, pages.held))
    geometry.reset();
  if (geometry && finds_root(pages.plain, *geometry)) return geometry;
  const auto usual = guessed_geometry(pages.held);
  if (!geometry && usual)
    findings.push_back(damaged("the superblock is destroyed: the usual places were tried"));
  if (!geometry || !usual || !finds_root(pages.plain, *usual)) return geometry ? geometry : usual;
  findings.push_back(damaged(
      "the superblock does not say where the root directory lies: it was found where it usually "
      "does"));
  return usual;
}

// Fields of the superblock that nothing but a strict reader looks at.
void tidy_superblock(Bytes& plain, const Geometry& geometry) {
  const auto page = std::span(plain).first(kPageSize);
  store_le(page.subspan(kPagesPerBlockOffset, 2), kClustersPerBlock * kPagesPerCluster);
  for (std::size_t i = 0; i < kListLength; ++i)
    if (const std::uint32_t block = geometry.bad_blocks[i];
        block != kNoBadBlock && block >= geometry.clusters / kClustersPerBlock)
      store_le(page.subspan(kBadBlocks + i * 4, 4), kNoBadBlock);
}

}  // namespace

Result<Salvage> Ps2CardLayout::salvage(ByteView file) const {
  Pages pages = read_pages(file);
  Salvage salvage;
  auto geometry = find_geometry(pages, salvage.findings);
  if (!geometry)
    return fail(Trouble::input, Code::damaged,
                "its first page is destroyed, and its size is not that of a card either",
                "nothing of it can be rescued");
  const std::uint64_t whole = std::uint64_t{geometry->clusters} * kClusterSize;
  if (pages.held < whole) salvage.findings.push_back(cut_short(pages.held, whole));
  if (pages.mended > 0)
    salvage.findings.push_back(spare_lost(
        fmt::format("{} pages had a wrong bit, which the card's code corrected", pages.mended)));
  if (pages.broken_count > 0)
    salvage.findings.push_back(damaged(
        fmt::format("{} pages have more wrong bits than can be corrected", pages.broken_count)));
  pages.plain.resize(static_cast<std::size_t>(whole), std::byte{0xFF});
  auto made = rebuild_table(pages.plain, *geometry, salvage.findings);
  salvage.blocks = card_info_.default_blocks;
  for (const std::uint32_t capacity : card_info_.capacities)
    if (capacity <= geometry->usable() - 1) salvage.blocks = capacity;
  Salvager(pages, *geometry, std::move(made)).run(salvage);
  // Copied with its spare bytes written anew, so that mended pages are sound again.
  if (const auto own = parse_superblock(pages.plain)) {
    tidy_superblock(pages.plain, *own);
    salvage.image = write_pages(pages.plain, pages.with_spare, file);
  }
  return salvage;
}

}  // namespace bayswap
