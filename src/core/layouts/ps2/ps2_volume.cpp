#include "core/layouts/ps2/ps2_volume.h"

#include <fmt/core.h>

#include <algorithm>
#include <set>

#include "core/bytes/cursor.h"
#include "core/bytes/fill.h"

namespace bayswap::ps2 {
namespace {

constexpr int kDeepest = 8;  // folders in folders
constexpr std::uint32_t kMostEntries = 4096;

bool is_dot(std::string_view name) {
  return name == "." || name == "..";
}

}  // namespace

bool is_save_name(std::string_view name) {
  return !name.empty() && !is_dot(name);
}

std::vector<std::uint32_t> Tree::clusters() const {
  std::vector<std::uint32_t> all = chain.blocks;
  for (const Node& node : nodes)
    all.insert(all.end(), node.chain.blocks.begin(), node.chain.blocks.end());
  return all;
}

std::string Tree::broken() const {
  if (!chain.broken.empty()) return chain.broken;
  if (chain.blocks.size() < wanted) return "its directory is cut short";
  for (const Node& node : nodes) {
    if (!node.chain.broken.empty()) return node.path + ": " + node.chain.broken;
    if (node.chain.blocks.size() < node.wanted ||
        (node.chain.blocks.size() > node.wanted && !node.entry.directory()))
      return fmt::format("{}: its length asks for {} clusters, its chain has {}", node.path,
                         node.wanted, node.chain.blocks.size());
  }
  return {};
}

Volume::Volume(Bytes& plain, const Geometry& geometry) : plain_(plain), geometry_(geometry) {
  const std::uint32_t count = (geometry.alloc_end + kEntriesPerCluster - 1) / kEntriesPerCluster;
  Cursor cursor(plain_);
  const std::uint64_t clusters = plain_.size() / kClusterSize;
  for (std::uint32_t i = 0; i < count; ++i) {
    const std::uint32_t list = i / kEntriesPerCluster;
    const std::uint32_t indirect = list < kListLength ? geometry.indirect[list] : 0;
    std::uint32_t table = 0;
    if (indirect > 0 && indirect < clusters)
      table = cursor.u32le(std::uint64_t{indirect} * kClusterSize + (i % kEntriesPerCluster) * 4);
    if (table == 0 || table >= clusters) {
      table = 0;
      table_whole_ = false;
    }
    tables_.push_back(table);
  }
  reread_root();
}

std::uint32_t Volume::link(std::uint32_t number) const {
  if (number >= geometry_.alloc_end) return 0;
  const std::uint32_t table = tables_[number / kEntriesPerCluster];
  if (table == 0) return 0;
  return Cursor(plain_).u32le(std::uint64_t{table} * kClusterSize +
                              (number % kEntriesPerCluster) * 4);
}

void Volume::set_link(std::uint32_t number, std::uint32_t value) {
  if (number >= geometry_.alloc_end) return;
  const std::uint32_t table = tables_[number / kEntriesPerCluster];
  if (table == 0) return;
  store_le(std::span(plain_).subspan(
               std::size_t{table} * kClusterSize + (number % kEntriesPerCluster) * 4, 4),
           value);
}

std::span<std::byte> Volume::cluster(std::uint32_t number) const {
  const std::uint64_t start = (std::uint64_t{geometry_.alloc_first} + number) * kClusterSize;
  if (start + kClusterSize > plain_.size()) return {};
  return std::span(plain_).subspan(static_cast<std::size_t>(start), kClusterSize);
}

Chain Volume::chain(std::uint32_t first, bool deleted) const {
  if (steps_ > most_steps()) return {{}, "the card's chains cross each other too often"};
  Chain found = follow_chain(first, geometry_.alloc_end, [&](std::uint32_t number) -> Link {
    const std::uint32_t value = link(number);
    if (((value & kUsedBit) != 0) == deleted)
      return {Link::Kind::broken, 0,
              fmt::format("cluster {} of its chain is {}", number, deleted ? "in use" : "free")};
    const std::uint32_t next = value & ~kUsedBit;
    if (next == kChainEnd) return {Link::Kind::end, 0, {}};
    return {Link::Kind::next, next, {}};
  });
  steps_ += found.blocks.size();
  return found;
}

std::uint64_t Volume::most_steps() const {
  return std::uint64_t{4} * geometry_.alloc_end + 0x10000;
}

std::span<std::byte> Volume::entry_at(const Chain& directory, std::uint32_t index) const {
  if (index / 2 >= directory.blocks.size()) return {};
  const auto bytes = cluster(directory.blocks[index / 2]);
  if (bytes.empty()) return {};
  return bytes.subspan((index % 2) * kEntrySize, kEntrySize);
}

void Volume::reread_root() {
  root_ = chain(geometry_.root, false);
}

std::uint32_t Volume::root_length() const {
  const auto dot = entry_at(root_, 0);
  if (dot.empty()) return 0;
  const auto most = static_cast<std::uint32_t>(root_.blocks.size() * 2);
  return std::min(parse_entry(dot).length, most);
}

void Volume::read_directory(const Chain& chain, std::uint32_t length, const std::string& prefix,
                            bool deleted, int depth, std::vector<Node>& nodes) const {
  std::set<std::string> names;  // of two entries with one name, a game finds the first
  for (std::uint32_t i = 2; i < length && nodes.size() < kMostEntries; ++i) {
    if (++steps_ > most_steps()) return;
    const auto raw = entry_at(chain, i);
    if (raw.empty()) return;
    const Entry entry = parse_entry(raw);
    if (entry.exists() == deleted && !deleted) continue;
    if (entry.name.empty() || is_dot(entry.name) || (entry.mode & (kDirectoryBit | kFileBit)) == 0)
      continue;
    if (!names.insert(entry.name).second) continue;
    Node node;
    node.path = prefix + entry.name + (entry.directory() ? "/" : "");
    node.raw.assign(raw.begin(), raw.end());
    node.entry = entry;
    if (entry.cluster != kNoCluster || entry.directory() || entry.length > 0)
      node.chain = this->chain(entry.cluster, deleted);
    node.wanted =
        entry.directory() ? directory_clusters(entry.length) : file_clusters(entry.length);
    const Chain below = node.chain;
    nodes.push_back(std::move(node));
    if (entry.directory() && depth < kDeepest)
      read_directory(below, entry.length, prefix + entry.name + "/", deleted, depth + 1, nodes);
  }
}

Tree Volume::tree_from(ByteView raw, std::uint32_t index, bool deleted) const {
  Tree tree;
  tree.index = index;
  tree.entry = parse_entry(raw);
  tree.chain = chain(tree.entry.cluster, deleted);
  tree.wanted = directory_clusters(tree.entry.length);
  tree.record.assign(raw.begin(), raw.end());
  for (const std::uint32_t dot : {0U, 1U}) {
    const auto entry = entry_at(tree.chain, dot);
    tree.record.insert(tree.record.end(), entry.begin(), entry.end());
  }
  tree.record.resize(3 * kEntrySize);
  read_directory(tree.chain, tree.entry.length, "", deleted, 0, tree.nodes);
  return tree;
}

Tree Volume::tree(std::uint32_t index, bool deleted) const {
  return tree_from(entry_at(root_, index), index, deleted);
}

std::vector<Tree> Volume::trees(bool deleted) const {
  std::vector<Tree> found;
  steps_ = 0;
  for (std::uint32_t i = 2; i < root_length(); ++i) {
    const auto raw = entry_at(root_, i);
    if (raw.empty()) break;
    const Entry entry = parse_entry(raw);
    if (!entry.directory() || entry.exists() == deleted) continue;
    // Behind the root's own two entries such a name is wrong, but the save is one.
    if (deleted && !is_save_name(entry.name)) continue;
    found.push_back(tree(i, deleted));
  }
  if (!deleted) return found;
  // Only what is whole, begins as a directory does, and shares nothing.
  std::vector<std::uint32_t> claims(geometry_.alloc_end);
  for (const Tree& tree : found)
    for (const std::uint32_t number : tree.clusters()) ++claims[number];
  std::erase_if(found, [&](const Tree& tree) {
    const auto clusters = tree.clusters();
    const auto dot = entry_at(tree.chain, 0);
    return !tree.broken().empty() || tree.nodes.empty() || dot.empty() ||
           parse_entry(dot).name != "." ||
           std::any_of(clusters.begin(), clusters.end(),
                       [&](std::uint32_t number) { return claims[number] > 1; });
  });
  return found;
}

Save Volume::save_of(const Tree& tree, std::uint64_t& budget) const {
  Save save;
  save.name = tree.entry.name;
  save.entry = tree.record;
  for (const Node& node : tree.nodes) {
    Part part{node.path, {}, false, node.raw};
    const std::uint64_t size =
        std::min<std::uint64_t>(node.chain.blocks.size() * kClusterSize, node.entry.length);
    if (!node.entry.directory() && size <= budget) {
      budget -= size;
      part.data.reserve(static_cast<std::size_t>(size));
      for (const std::uint32_t number : node.chain.blocks) {
        const auto bytes = cluster(number);
        const std::size_t left = node.entry.length - part.data.size();
        part.data.insert(part.data.end(), bytes.begin(),
                         bytes.begin() + static_cast<std::ptrdiff_t>(std::min(left, bytes.size())));
        if (part.data.size() == node.entry.length) break;
      }
    }
    part.blank = is_erased(part.data);
    save.parts.push_back(std::move(part));
  }
  describe(save);
  return save;
}

}  // namespace bayswap::ps2
