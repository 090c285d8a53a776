#include "core/layouts/ps2/ps2_writer.h"

#include <algorithm>

#include "core/bytes/cursor.h"
#include "core/bytes/fill.h"
#include "core/layouts/common/card_errors.h"

namespace bayswap::ps2 {
namespace {

void mark_deleted(std::span<std::byte> entry) {
  if (entry.empty()) return;
  store_le(entry.subspan(kMode, 2),
           static_cast<std::uint16_t>(Cursor(entry).u16le(kMode) & ~kExists));
}

// The files and folders of a save as a tree of names.
struct Folder {
  const Part* self = nullptr;
  std::vector<std::pair<std::string, const Part*>> files;  // name, and file or folder
  std::vector<Folder> folders;
  std::vector<std::string> folder_names;

  [[nodiscard]] std::uint32_t entries() const {
    return static_cast<std::uint32_t>(2 + files.size() + folders.size());
  }
};

void add_part(Folder& folder, std::string_view path, const Part& part) {
  const std::size_t slash = path.find('/');
  if (slash == std::string_view::npos) {
    folder.files.emplace_back(path, &part);
    return;
  }
  const std::string name(path.substr(0, slash));
  const auto known = std::ranges::find(folder.folder_names, name);
  const auto place = static_cast<std::size_t>(known - folder.folder_names.begin());
  if (known == folder.folder_names.end()) {
    folder.folder_names.push_back(name);
    folder.folders.emplace_back();
  }
  if (slash + 1 == path.size())
    folder.folders[place].self = &part;
  else
    add_part(folder.folders[place], path.substr(slash + 1), part);
}

Folder folder_of(const Save& save) {
  Folder root;
  for (const Part& part : save.parts) add_part(root, part.name, part);
  return root;
}

std::uint32_t clusters_in(const Folder& folder) {
  std::uint32_t clusters = directory_clusters(folder.entries());
  for (const auto& [name, part] : folder.files)
    clusters += file_clusters(static_cast<std::uint32_t>(part->data.size()));
  for (const Folder& below : folder.folders) clusters += clusters_in(below);
  return clusters;
}

bool good_names(const Folder& folder) {
  const auto good = [](std::string_view name) {
    return !name.empty() && name.size() <= kNameLength && name != "." && name != "..";
  };
  return std::all_of(folder.files.begin(), folder.files.end(),
                     [&](const auto& file) { return good(file.first); }) &&
         std::ranges::all_of(folder.folder_names, good) &&
         std::ranges::all_of(folder.folders, good_names);
}

// Hands out clusters: those that hold nothing first.
class Room {
 public:
  Room(const Volume& volume, const std::vector<Tree>& deleted) {
    std::vector<bool> recoverable(volume.geometry().alloc_end);
    for (const Tree& tree : deleted)
      for (const std::uint32_t number : tree.clusters()) recoverable[number] = true;
    const std::vector<bool> bad = bad_clusters(volume.geometry());
    for (const bool wanted : {false, true})
      for (std::uint32_t i = 0; i < volume.geometry().usable(); ++i)
        if (recoverable[i] == wanted && !bad[i] && !volume.is_used(i) && !volume.cluster(i).empty())
          free_.push_back(i);
  }

  [[nodiscard]] std::size_t left() const { return free_.size() - next_; }
  std::uint32_t take() { return free_[next_++]; }

 private:
  static std::vector<bool> bad_clusters(const Geometry& geometry) {
    std::vector<bool> bad(geometry.alloc_end);
    for (const std::uint32_t block : geometry.bad_blocks) {
      if (block == 0xFFFFFFFFU) continue;
      for (std::uint64_t i = 0; i < kClustersPerBlock; ++i) {
        const std::uint64_t absolute = std::uint64_t{block} * kClustersPerBlock + i;
        if (absolute >= geometry.alloc_first && absolute - geometry.alloc_first < bad.size())
          bad[static_cast<std::size_t>(absolute - geometry.alloc_first)] = true;
      }
    }
    return bad;
  }

  std::vector<std::uint32_t> free_;
  std::size_t next_ = 0;
};

class Putter {
 public:
  Putter(Volume& volume, Room& room, const std::optional<Time>& time)
      : volume_(volume), room_(room), time_(time) {}

  // Links a new chain and gives its clusters.
  Chain make_chain(std::uint32_t count) {
    Chain chain;
    for (std::uint32_t i = 0; i < count; ++i) chain.blocks.push_back(room_.take());
    for (std::uint32_t i = 0; i < count; ++i)
      volume_.set_link(chain.blocks[i],
                       kUsedBit | (i + 1 < count ? chain.blocks[i + 1] : kChainEnd));
    return chain;
  }

  // Gives the first cluster.
  std::uint32_t write_file(const Bytes& data) {
    if (data.empty()) return kNoCluster;
    const Chain chain = make_chain(file_clusters(static_cast<std::uint32_t>(data.size())));
    for (std::size_t i = 0; i < chain.blocks.size(); ++i) {
      const auto target = volume_.cluster(chain.blocks[i]);
      const std::size_t start = i * kClusterSize;
      const std::size_t size = std::min(kClusterSize, data.size() - start);
      std::ranges::copy(ByteView(data).subspan(start, size), target.begin());
      std::ranges::fill(target.subspan(size), std::byte{0});
    }
    return chain.blocks.front();
  }

  // `parent`: first cluster of the folder above; `index`: the folder's place in it. `dots`: its own
  // two entries as they were, or nothing.
  std::uint32_t write_folder(const Folder& folder, std::uint32_t parent, std::uint32_t index,
                             ByteView dots) {
    const Chain chain = make_chain(directory_clusters(folder.entries()));
    for (const std::uint32_t number : chain.blocks)
      std::ranges::fill(volume_.cluster(number), std::byte{0});
    const auto dot = [&](std::uint32_t place, std::string_view name) {
      const ByteView like = dots.size() >= 2 * kEntrySize && !is_filled(dots, std::byte{0})
                                ? dots.subspan(place * kEntrySize, kEntrySize)
                                : ByteView{};
      return entry_for(like, kUsualDirectory, 0, place == 0 ? parent : 0, name, time_);
    };
    Bytes self = dot(0, ".");
    store_le(std::span(self).subspan(kOwnIndex, 4), index);
    store(chain, 0, self);
    store(chain, 1, dot(1, ".."));
    std::uint32_t place = 2;
    for (const auto& [name, part] : folder.files) {
      const std::uint32_t first = write_file(part->data);
      store(chain, place++,
            entry_for(part->entry, kUsualFile, part->data.size(), first, name, time_));
    }
    for (std::size_t i = 0; i < folder.folders.size(); ++i) {
      const Folder& below = folder.folders[i];
      const std::uint32_t first = write_folder(below, chain.blocks.front(), place, {});
      store(chain, place++,
            entry_for(below.self != nullptr ? ByteView(below.self->entry) : ByteView{},
                      kUsualDirectory, below.entries(), first, folder.folder_names[i], time_));
    }
    return chain.blocks.front();
  }

  void store(const Chain& chain, std::uint32_t place, const Bytes& entry) {
    const auto target = volume_.entry_at(chain, place);
    if (!target.empty()) std::ranges::copy(entry, target.begin());
  }

 private:
  Volume& volume_;
  Room& room_;
  const std::optional<Time>& time_;
};

// A place in the root directory: one that nothing could be read from any more, a new one at its
// end, or that of a deleted save.
class RootPlace {
 public:
  RootPlace(Volume& volume, const std::vector<Tree>& deleted) : volume_(volume) {
    const std::uint32_t length = volume.root_length();
    for (std::uint32_t i = 2; i < length && index_ == 0; ++i)
      if (!exists(i) && !is_recoverable(i, deleted)) index_ = i;
    if (index_ != 0) return;
    index_ = length;
    grows_ = length / 2 >= volume.root().blocks.size();
    for (std::uint32_t i = 2; i < length && reserve_ == 0; ++i)
      if (!exists(i)) reserve_ = i;
  }

  /// Clusters that the root directory must get.
  [[nodiscard]] std::uint32_t needs() const { return grows_ ? 1 : 0; }
  /// Takes the place of a deleted save instead of a new one; false when there is none.
  bool fall_back() {
    if (!grows_ || reserve_ == 0) return false;
    index_ = reserve_;
    grows_ = false;
    return true;
  }

  std::uint32_t take(Putter& putter) {
    if (grows_) {
      const Chain more = putter.make_chain(1);
      std::ranges::fill(volume_.cluster(more.blocks.front()), std::byte{0});
      volume_.set_link(volume_.root().blocks.back(), kUsedBit | more.blocks.front());
      volume_.reread_root();
    }
    const auto dot = volume_.entry_at(volume_.root(), 0);
    if (index_ >= parse_entry(dot).length) store_le(dot.subspan(kLength, 4), index_ + 1);
    return index_;
  }

 private:
  [[nodiscard]] bool exists(std::uint32_t index) const {
    return parse_entry(volume_.entry_at(volume_.root(), index)).exists();
  }
  static bool is_recoverable(std::uint32_t index, const std::vector<Tree>& deleted) {
    return std::ranges::any_of(deleted, [&](const Tree& tree) { return tree.index == index; });
  }

  Volume& volume_;
  std::uint32_t index_ = 0;    // 0: none, that is the directory's own entry
  std::uint32_t reserve_ = 0;  // likewise
  bool grows_ = false;
};

}  // namespace

Bytes format_volume(const Geometry& geometry) {
  Bytes plain(std::size_t{geometry.clusters} * kClusterSize, kErasedOnes);
  const Bytes superblock = superblock_for(geometry);
  std::ranges::copy(superblock, plain.begin());
  const std::uint32_t tables = (geometry.alloc_end + kEntriesPerCluster - 1) / kEntriesPerCluster;
  const std::span<std::byte> all(plain);
  std::uint32_t table = geometry.alloc_first - tables;
  for (std::uint32_t i = 0; i < tables; ++i, ++table) {
    const std::size_t list = std::size_t{geometry.indirect[i / kEntriesPerCluster]} * kClusterSize;
    store_le(all.subspan(list + (i % kEntriesPerCluster) * 4, 4), table);
    for (std::size_t k = 0; k < kEntriesPerCluster; ++k)
      store_le(all.subspan(std::size_t{table} * kClusterSize + k * 4, 4), kChainEnd);
  }
  Volume volume(plain, geometry);
  volume.set_link(geometry.root, kUsedBit | kChainEnd);
  volume.reread_root();
  std::ranges::fill(volume.cluster(geometry.root), std::byte{0});
  const Bytes dot = entry_for({}, kUsualDirectory, 2, 0, ".", std::nullopt);
  const Bytes up = entry_for({}, kRootParent, 0, 0, "..", std::nullopt);
  std::ranges::copy(dot, volume.entry_at(volume.root(), 0).begin());
  std::ranges::copy(up, volume.entry_at(volume.root(), 1).begin());
  return plain;
}

void drop_save(Volume& volume, const Tree& tree) {
  // Entries lie in the directories' clusters: every entry of each is marked before they go free.
  const auto mark_folder = [&](const Chain& chain, std::uint32_t entries) {
    const std::uint64_t held = std::min<std::uint64_t>(entries, chain.blocks.size() * 2);
    for (std::uint32_t i = 2; i < held; ++i) mark_deleted(volume.entry_at(chain, i));
  };
  mark_folder(tree.chain, tree.entry.length);
  for (const Node& node : tree.nodes)
    if (node.entry.directory()) mark_folder(node.chain, node.entry.length);
  mark_deleted(volume.entry_at(volume.root(), tree.index));
  for (const std::uint32_t number : tree.clusters())
    volume.set_link(number, volume.link(number) & ~kUsedBit);
}

std::optional<Error> unfit(const Save& save) {
  if (save.system != System::ps2 || save.parts.empty())
    return wrong_save(save, "is not a save of a ps2 card");
  if (save.name.empty() || save.name.size() > kNameLength ||
      save.name.find('/') != std::string::npos)
    return wrong_save(save, "a ps2 card needs a name of 1 to 32 letters for it");
  if (!good_names(folder_of(save)))
    return wrong_save(save, "one of its files has a name that a ps2 card cannot hold");
  std::uint64_t size = 0;
  for (const Part& part : save.parts) size += part.data.size();
  if (size > 0xFFFFFFFFU) return wrong_save(save, "is larger than any ps2 card");
  return std::nullopt;
}

std::uint32_t clusters_for(const Save& save) {
  return clusters_in(folder_of(save));
}

bool put_save(Volume& volume, const Save& save, std::vector<Tree>& deleted,
              std::vector<Tree>& purged) {
  Room room(volume, deleted);
  const Folder folder = folder_of(save);
  const std::uint32_t needed = clusters_in(folder);
  RootPlace place(volume, deleted);
  if (room.left() < needed + place.needs() && !place.fall_back()) return false;
  if (room.left() < needed) return false;
  Putter putter(volume, room, save.modified);
  const std::uint32_t index = place.take(putter);
  const ByteView record(save.entry);
  const ByteView dots = record.size() >= 3 * kEntrySize ? record.subspan(kEntrySize) : ByteView{};
  const std::uint32_t first = putter.write_folder(folder, volume.geometry().root, index, dots);
  putter.store(
      volume.root(), index,
      entry_for(record, kUsualDirectory, folder.entries(), first, save.name, save.modified));
  for (Tree& tree : deleted) {
    const auto clusters = tree.clusters();
    if (tree.index == index ||
        std::ranges::any_of(clusters, [&](std::uint32_t number) { return volume.is_used(number); }))
      purged.push_back(tree);
  }
  std::erase_if(deleted, [&](const Tree& tree) {
    return std::ranges::any_of(purged, [&](const Tree& gone) { return gone.index == tree.index; });
  });
  return true;
}

}  // namespace bayswap::ps2
