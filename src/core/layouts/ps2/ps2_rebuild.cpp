#include "core/layouts/ps2/ps2_rebuild.h"

#include <fmt/core.h>

#include <algorithm>
#include <map>
#include <utility>
#include <vector>

#include "core/bytes/cursor.h"
#include "core/bytes/fill.h"
#include "core/layouts/common/card_errors.h"
#include "core/layouts/ps2/ps2_volume.h"

namespace bayswap::ps2 {
namespace {

constexpr std::uint32_t kFree = 0x7FFFFFFFU;

// Where the parts of the table lie, by an indirect list; empty when it makes no sense.
std::vector<std::uint32_t> tables_by(const Bytes& plain, const Geometry& geometry) {
  const std::uint32_t count = (geometry.alloc_end + kEntriesPerCluster - 1) / kEntriesPerCluster;

  std::vector<std::uint32_t> tables;
  for (std::uint32_t i = 0; i < count; ++i) {
    const std::uint32_t list = i / kEntriesPerCluster;
    const std::uint32_t indirect = list < kListLength ? geometry.indirect[list] : 0;
    if (indirect == 0 || indirect >= geometry.alloc_first) return {};
    const std::uint32_t table =
        Cursor(plain).u32le(std::uint64_t{indirect} * kClusterSize + (i % kEntriesPerCluster) * 4);
    if (table == 0 || table >= geometry.alloc_first ||
        std::ranges::find(tables, table) != tables.end())
      return {};
    tables.push_back(table);
  }
  return tables;
}

class Rebuilder {
 public:
  Rebuilder(Bytes& plain, const Geometry& geometry, std::vector<std::uint32_t> tables)
      : plain_(plain), geometry_(geometry), tables_(std::move(tables)) {
    find_lost_links();
  }

  [[nodiscard]] bool has_lost_links() const {
    return std::ranges::find(lost_, true) != lost_.end();
  }

  [[nodiscard]] const std::set<std::uint32_t>& made() const { return made_; }

  void run() {
    for (std::uint32_t number = 0; number < geometry_.alloc_end; ++number)
      if (is_lost_at(number)) put(number, kFree);
    find_led_to();
    find_directories();
    chain_root();
    for (const auto& [first, length] : saves_) chain_directory(first, length);
    for (const auto& [first, length] : files_) chain_file(first, length);
  }

 private:
  // Links that lead out of the card or to its root, runs of one value that an erased table would
  // hold, and their neighbours: where the damage ends, half a link may look like a whole one.
  void find_lost_links() {
    const std::uint32_t count = geometry_.alloc_end;
    std::vector<bool> wrong(count);
    std::uint32_t run = 0;
    for (std::uint32_t number = 0; number < count; ++number) {
      const std::uint32_t value = link(number);
      const std::uint32_t next = value & ~kUsedBit;
      wrong[number] = next == 0 || (next != kChainEnd && next >= count);
      run = is_erased_link(value) && number > 0 && link(number - 1) == value ? run + 1 : 1;
      // Files of one cluster each look the same; their entries say so again.
      if (!is_erased_link(value) || run < kErasedRun) continue;
      wrong[number] = true;
      if (run == kErasedRun)
        for (std::uint32_t i = 1; i < run; ++i) wrong[number - i] = true;
    }
    lost_ = wrong;
    for (std::uint32_t number = 0; number < count; ++number) {
      if (!wrong[number]) continue;
      if (number > 0) doubt(number - 1);
      // Few links between two wrong ones are what the card's code made of wrong bits.
      std::uint32_t next = number + 1;
      while (next < count && next - number <= kFewLinks && !wrong[next]) ++next;
      const bool between = next < count && wrong[next];
      for (std::uint32_t i = number + 1; i < (between ? next : std::min(number + 2, count)); ++i)
        doubt(i);
    }
  }

  // A link to the next cluster is what damage hardly makes.
  void doubt(std::uint32_t number) {
    const std::uint32_t next = link(number) & ~kUsedBit;
    if (lost_[number] || link(number) == (kUsedBit | (number + 1)) || link(number) == kFree) return;
    lost_[number] = true;
    doubted_[number] = next;
  }

  // Where a directory goes on behind a cluster: by its link, or by a doubted one that leads to
  // entries.
  [[nodiscard]] std::optional<std::uint32_t> linked(std::uint32_t number) const {
    const auto doubted = doubted_.find(number);
    if (is_lost_at(number) && doubted == doubted_.end()) return std::nullopt;
    const bool sound = !is_lost_at(number);
    const std::uint32_t next = sound ? link(number) & ~kUsedBit : doubted->second;
    if (next == 0 || next >= geometry_.alloc_end || (!sound && !entry_in(next, 0)))
      return std::nullopt;
    return next;
  }

  static bool is_erased_link(std::uint32_t value) { return value == 0xFFFFFFFFU || value == 0; }

  [[nodiscard]] bool is_lost_at(std::uint32_t number) const { return lost_[number]; }

  [[nodiscard]] ByteView cluster(std::uint32_t number) const {
    const std::uint64_t start = (std::uint64_t{geometry_.alloc_first} + number) * kClusterSize;
    if (start + kClusterSize > plain_.size()) return {};
    return ByteView(plain_).subspan(static_cast<std::size_t>(start), kClusterSize);
  }

  void put(std::uint32_t number, std::uint32_t value) {
    const std::size_t at = std::size_t{tables_[number / kEntriesPerCluster]} * kClusterSize +
                           (number % kEntriesPerCluster) * 4;
    store_le(std::span(plain_).subspan(at, 4), value);
  }
  [[nodiscard]] std::uint32_t link(std::uint32_t number) const {
    return Cursor(plain_).u32le(std::uint64_t{tables_[number / kEntriesPerCluster]} * kClusterSize +
                                (number % kEntriesPerCluster) * 4);
  }

  // An entry that a directory may have, a deleted one too; nothing when the bytes are none.
  [[nodiscard]] std::optional<Entry> entry_in(std::uint32_t number, std::uint32_t half) const {
    const ByteView bytes = cluster(number);
    if (bytes.empty()) return std::nullopt;
    const ByteView raw = bytes.subspan(half * kEntrySize, kEntrySize);
    Entry entry = parse_entry(raw);
    const bool one_kind = entry.directory() != ((entry.mode & kFileBit) != 0);
    if (!one_kind || entry.name.empty()) return std::nullopt;
    if (entry.cluster >= geometry_.alloc_end && entry.cluster != kNoCluster) return std::nullopt;
    if (file_clusters(entry.directory() ? 0 : entry.length) > geometry_.alloc_end)
      return std::nullopt;
    // Behind the name an entry is empty.
    if (!is_erased(raw.subspan(kName + kNameLength, 64))) return std::nullopt;
    return entry;
  }
  [[nodiscard]] std::optional<Entry> live_entry(std::uint32_t number, std::uint32_t half) const {
    auto entry = entry_in(number, half);
    return entry && entry->exists() ? std::move(entry) : std::nullopt;
  }

  [[nodiscard]] bool begins_directory(std::uint32_t number) const {
    const auto dot = live_entry(number, 0);
    const auto up = live_entry(number, 1);
    return dot && up && dot->directory() && dot->name == "." && up->name == "..";
  }

  // Clusters that begin directories, and those that go on with entries.
  void find_directories() {
    for (std::uint32_t number = 0; number < geometry_.alloc_end; ++number) {
      if (begins_directory(number)) {
        owned_[number] = true;
        continue;
      }
      if (!entry_in(number, 0)) continue;
      owned_[number] = true;
      if (!sort_into_root(number) && !led_to_[number]) goes_on_.push_back(number);
    }
  }

  // A save's entry in the root leads to the directory that says that it stands at this very place.
  bool sort_into_root(std::uint32_t number) {
    bool placed = false;
    bool deleted = false;
    for (const std::uint32_t half : {0U, 1U}) {
      const auto entry = entry_in(number, half);
      if (!entry || !entry->directory()) continue;
      deleted = deleted || !entry->exists();
      if (!entry->exists() || entry->cluster >= geometry_.alloc_end ||
          !begins_directory(entry->cluster))
        continue;
      const auto dot = entry_in(entry->cluster, 0);
      const std::uint32_t index = dot->own_index;
      if (dot->cluster != geometry_.root || index % 2 != half) continue;
      placed = true;
      root_[index / 2] = number;
      saves_.emplace(entry->cluster, entry->length);
    }
    if (!placed && deleted) root_of_deleted_.push_back(number);
    return placed || deleted;
  }

  void chain_root() {
    std::vector<std::uint32_t> clusters{geometry_.root};
    std::uint32_t last = root_.empty() ? 0 : root_.rbegin()->first;
    // Behind its last save the root may hold deleted ones.
    const auto dot = live_entry(geometry_.root, 0);
    if (dot && dot->length >= 2 && dot->length <= kMostRootEntries)
      last = std::max(last, directory_clusters(dot->length) - 1);
    auto deleted = root_of_deleted_.begin();
    for (std::uint32_t place = 1; place <= last; ++place) {
      if (const auto known = root_.find(place); known != root_.end())
        clusters.push_back(known->second);
      else if (const auto next = linked(clusters.back()))
        clusters.push_back(*next);
      else if (deleted != root_of_deleted_.end())
        clusters.push_back(*deleted++);
    }
    link_all(clusters);
  }

  // The next clusters with entries that no other directory has, behind its first one.
  void chain_directory(std::uint32_t first, std::uint32_t length) {
    std::vector<std::uint32_t> clusters{first};
    const std::uint32_t wanted = directory_clusters(length);
    for (std::uint32_t at = first; clusters.size() < wanted;) {
      std::uint32_t next = 0;
      if (const auto told = linked(at)) {
        next = *told;
      } else if (const auto behind = std::ranges::upper_bound(goes_on_, at);
                 is_lost_at(at) && behind != goes_on_.end()) {
        next = *behind;
      }
      if (next == 0) break;
      std::erase(goes_on_, next);
      clusters.push_back(next);
      at = next;
    }
    link_all(clusters);
    for (std::uint32_t i = 2; i < length && i / 2 < clusters.size(); ++i) {
      const auto entry = live_entry(clusters[i / 2], i % 2);
      if (!entry || entry->cluster >= geometry_.alloc_end) continue;
      owned_[entry->cluster] = true;
      if (entry->directory())
        later_.emplace_back(entry->cluster, entry->length);
      else
        files_.emplace(entry->cluster, entry->length);
    }
    if (const auto inner = std::exchange(later_, {}); depth_ < kDeepest) {
      ++depth_;
      for (const auto& [cluster, entries] : inner) chain_directory(cluster, entries);
      --depth_;
    }
  }

  // One cluster after the other, but for those that something else begins at.
  void chain_file(std::uint32_t first, std::uint32_t length) {
    std::vector<std::uint32_t> clusters{first};
    const std::uint32_t wanted = file_clusters(length);
    for (std::uint32_t at = first; clusters.size() < wanted;) {
      std::uint32_t next = 0;
      if (!is_lost_at(at)) {
        next = link(at) & ~kUsedBit;
      } else {
        next = at + 1;
        while (next < geometry_.alloc_end && (owned_[next] || led_to_[next])) ++next;
      }
      if (next == 0 || next >= geometry_.alloc_end) break;
      clusters.push_back(next);
      at = next;
    }
    link_all(clusters);
  }

  // Clusters that a link which is not lost leads to. One that is in use without that goes on where
  // a lost link stood.
  void find_led_to() {
    led_to_.resize(geometry_.alloc_end);
    for (std::uint32_t number = 0; number < geometry_.alloc_end; ++number) {
      const std::uint32_t next = link(number) & ~kUsedBit;
      if ((link(number) & kUsedBit) != 0 && next < geometry_.alloc_end) led_to_[next] = true;
    }
  }

  void link_all(const std::vector<std::uint32_t>& clusters) {
    for (std::size_t i = 0; i < clusters.size(); ++i) {
      owned_[clusters[i]] = true;
      if (!is_lost_at(clusters[i])) continue;
      made_.insert(clusters[i]);
      put(clusters[i], kUsedBit | (i + 1 < clusters.size() ? clusters[i + 1] : kChainEnd));
    }
  }

  static constexpr int kDeepest = 8;  // folders in folders
  static constexpr std::uint32_t kErasedRun = 6;
  static constexpr std::uint32_t kFewLinks = 4;
  static constexpr std::uint32_t kMostRootEntries = 4096;

  Bytes& plain_;
  const Geometry& geometry_;
  std::vector<std::uint32_t> tables_;
  std::vector<bool> lost_;
  std::vector<bool> led_to_;
  std::map<std::uint32_t, std::uint32_t> doubted_;  // lost links that may be right, by cluster
  std::map<std::uint32_t, bool> owned_;
  std::map<std::uint32_t, std::uint32_t> root_;   // clusters of the root directory by their place
  std::map<std::uint32_t, std::uint32_t> saves_;  // first clusters and numbers of entries
  std::map<std::uint32_t, std::uint32_t> files_;  // first clusters and bytes
  std::vector<std::pair<std::uint32_t, std::uint32_t>> later_;
  std::vector<std::uint32_t> goes_on_;
  std::vector<std::uint32_t> root_of_deleted_;  // the root's clusters with deleted saves alone
  std::set<std::uint32_t> made_;
  int depth_ = 0;
};

}  // namespace

std::set<std::uint32_t> rebuild_table(Bytes& plain, Geometry& geometry, Findings& findings) {
  std::vector<std::uint32_t> tables = tables_by(plain, geometry);
  const Geometry usual = usual_geometry(geometry.clusters);
  const bool usual_place = geometry.alloc_first == usual.alloc_first;
  if (tables.empty() && usual_place) {
    geometry.indirect = usual.indirect;
    tables = tables_by(plain, geometry);
    if (tables.empty()) {
      // The list itself is lost; the table follows it.
      std::uint32_t table = 0;
      for (const std::uint32_t indirect : geometry.indirect) table = std::max(table, indirect);
      const std::uint32_t count =
          (geometry.alloc_end + kEntriesPerCluster - 1) / kEntriesPerCluster;
      for (std::uint32_t i = 0; i < count; ++i)
        store_le(std::span(plain).subspan(
                     std::size_t{geometry.indirect[i / kEntriesPerCluster]} * kClusterSize +
                         (i % kEntriesPerCluster) * 4,
                     4),
                 ++table);
      tables = tables_by(plain, geometry);
    }
    if (!tables.empty())
      findings.push_back(
          damaged("where the allocation table lies is lost: the usual place was tried"));
  }
  if (tables.empty()) return {};
  Rebuilder rebuilder(plain, geometry, tables);
  if (!rebuilder.has_lost_links()) return {};
  rebuilder.run();
  // Links of clusters that nothing needs say nothing of damage.
  if (const std::size_t made = rebuilder.made().size(); made > 0)
    findings.push_back(
        damaged(fmt::format("the allocation table is lost in part: the links of {} clusters were "
                            "made again from the directories",
                            made)));
  return rebuilder.made();
}

}  // namespace bayswap::ps2
