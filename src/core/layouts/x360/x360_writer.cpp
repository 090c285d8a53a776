#include "core/layouts/x360/x360_writer.h"

#include <fmt/core.h>

#include <algorithm>
#include <set>

#include "core/bytes/cursor.h"
#include "core/bytes/hash.h"
#include "core/bytes/text.h"
#include "core/layouts/common/card_errors.h"
#include "core/layouts/x360/x360_volume.h"

namespace bayswap::x360 {
namespace {

constexpr std::size_t kEntriesPerBlock = kBlockSize / kEntrySize;

void store_u24le(std::span<std::byte> target, std::uint32_t value) {
  store_le(target.first(3), value);
}

// Whether a table's own count takes freed blocks in: makers of packages differ.
bool counts_freed(const std::vector<unsigned>& statuses, std::uint32_t stored) {
  const auto used = std::ranges::count_if(statuses, [](unsigned s) { return (s & kUsed) != 0; });
  const auto present = std::ranges::count_if(statuses, [](unsigned s) { return s != kUnused; });
  return stored != used && stored == present;
}

class Editor {
 public:
  Editor(ByteView package, Volume volume) : volume_(std::move(volume)) {
    bytes_.assign(package.begin(), package.end());
    LiveTables live(package, volume_.header, volume_.level, false);
    copies_.resize(3);
    for (unsigned level = 0; level <= volume_.level; ++level)
      for (std::uint64_t i = 0; i < tables_at(level, volume_.blocks); ++i)
        copies_[level].push_back(live.copy_of(level, i));
    before_ = volume_.map;
    blocks_before_ = volume_.blocks;
    for (const FileEntry& entry : volume_.entries) entries_.push_back(entry);
    reserve(volume_.blocks);
  }

  void drop(const std::set<std::string>& paths) {
    std::vector<bool> gone(entries_.size());
    std::set<std::uint32_t> kept(volume_.table.begin(), volume_.table.end());
    for (const VolumeFile& file : volume_.files) {
      if (paths.contains(file.path))
        gone[file.entry] = true;
      else
        kept.insert(file.blocks.begin(), file.blocks.end());
    }
    for (const VolumeFile& file : volume_.files)
      if (gone[file.entry])
        for (const std::uint32_t block : file.blocks)
          if (!kept.contains(block)) volume_.map[block].status = kFreed;
    close_gaps(gone);
  }

  Result<void> put(const Save& save) {
    const auto wrong = [&](std::string_view why) { return tl::unexpected(wrong_save(save, why)); };
    if (save.system != System::x360 || save.parts.size() != 1)
      return wrong("is not a file of an x360 package");
    const Bytes& data = save.parts.front().data;
    if (data.size() > 0xFFFFFFFFU) return wrong("is larger than a file in a package can be");
    auto parent = folder_for(save);
    if (!parent) return tl::unexpected(parent.error());
    const std::string name = save.name.substr(save.name.rfind('/') + 1);
    if (find(name, *parent)) return tl::unexpected(name_taken(save));
    const std::uint64_t count = (data.size() + kBlockSize - 1) / kBlockSize;
    auto blocks = allocate(count);
    if (!blocks) return tl::unexpected(blocks.error());
    for (std::size_t i = 0; i < blocks->size(); ++i) {
      const std::span<std::byte> target = block((*blocks)[i]);
      std::ranges::fill(target, std::byte{0});
      const ByteView piece = ByteView(data).subspan(
          i * kBlockSize, std::min(kBlockSize, data.size() - i * kBlockSize));
      std::ranges::copy(piece, target.begin());
    }
    return add_entry(new_entry(name, *parent, *blocks, save));
  }

  Result<Bytes> finish() {
    if (auto written = write_file_table(); !written) return tl::unexpected(written.error());
    write_hashes();
    return std::move(bytes_);
  }

 private:
  static std::uint64_t tables_at(unsigned level, std::uint64_t blocks) {
    std::uint64_t covered = kFanout;
    for (unsigned i = 0; i < level; ++i) covered *= kFanout;
    return std::max<std::uint64_t>(1, (blocks + covered - 1) / covered);
  }

  // The file is as long as its blocks need; what stands behind them stays.
  void reserve(std::uint64_t blocks) {
    const std::uint64_t last = blocks == 0 ? table_place(0, 0, copies()) + copies() - 1
                                           : block_place(blocks - 1, copies());
    const std::size_t size = volume_.header.end + (last + 1) * kBlockSize;
    if (bytes_.size() < size) bytes_.resize(size);
  }

  [[nodiscard]] unsigned copies() const { return volume_.header.copies; }

  std::span<std::byte> at_place(std::uint64_t place) {
    return std::span(bytes_).subspan(volume_.header.end + place * kBlockSize, kBlockSize);
  }
  std::span<std::byte> block(std::uint64_t number) {
    return at_place(block_place(number, copies()));
  }
  std::span<std::byte> table(unsigned level, std::uint64_t number) {
    return at_place(table_place(level, number, copies()) + copies_[level][number]);
  }

  // Entries keep their order; those of folders are known by their places.
  void close_gaps(const std::vector<bool>& gone) {
    std::vector<FileEntry> left;
    std::vector<std::uint16_t> places(entries_.size(), kRoot);
    for (std::size_t i = 0; i < entries_.size(); ++i) {
      if (gone[i] || !entries_[i].exists()) continue;
      places[i] = static_cast<std::uint16_t>(left.size());
      left.push_back(std::move(entries_[i]));
    }
    for (FileEntry& entry : left) {
      if (entry.parent == kRoot) continue;
      entry.parent = entry.parent < places.size() ? places[entry.parent] : kRoot;
      store_be(std::span(entry.raw).subspan(kEntryParent, 2), entry.parent);
    }
    entries_ = std::move(left);
  }

  std::optional<std::size_t> find(std::string_view name, std::uint16_t parent) const {
    for (std::size_t i = 0; i < entries_.size(); ++i)
      if (entries_[i].exists() && entries_[i].parent == parent &&
          lower_ascii(entries_[i].name) == lower_ascii(name))
        return i;
    return std::nullopt;
  }

  // The folder that a file's path names; made where it is missing.
  Result<std::uint16_t> folder_for(const Save& save) {
    std::uint16_t parent = kRoot;
    std::string_view rest = save.name;
    for (std::size_t depth = 0;; ++depth) {
      const std::size_t slash = rest.find('/');
      const std::string_view piece = rest.substr(0, slash);
      if (!is_file_name(piece) || depth >= kDeepest)
        return tl::unexpected(wrong_save(
            save,
            "a file in a package needs a name of 1 to 40 plain letters, without / \\ : * ? "
            "\" < > |"));
      if (slash == std::string_view::npos) return parent;
      rest.remove_prefix(slash + 1);
      auto there = find(piece, parent);
      if (there && !entries_[*there].folder) return tl::unexpected(name_taken(save));
      if (!there) {
        if (auto added = add_entry(new_folder(piece, parent, save)); !added)
          return tl::unexpected(added.error());
        there = entries_.size() - 1;
      }
      parent = static_cast<std::uint16_t>(*there);
    }
  }

  static FileEntry entry_of(std::string_view name, unsigned flags, std::uint16_t parent,
                            const Save& save) {
    FileEntry entry;
    entry.name = name;
    entry.parent = parent;
    entry.raw = save.entry.size() == kEntrySize ? save.entry : Bytes(kEntrySize);
    const std::span<std::byte> raw(entry.raw);
    std::ranges::fill(raw.first(kEntryNameSize), std::byte{0});
    std::ranges::copy(as_bytes(name), raw.begin());
    raw[kEntryFlags] = static_cast<std::byte>(flags | static_cast<unsigned>(name.size()));
    store_be(raw.subspan(kEntryParent, 2), parent);
    if (save.entry.size() != kEntrySize && save.modified) {
      store_be(raw.subspan(kEntryModified, 4), dos_of_time(*save.modified));
      store_be(raw.subspan(kEntryRead, 4), dos_of_time(*save.modified));
    }
    return entry;
  }

  static FileEntry new_folder(std::string_view name, std::uint16_t parent, const Save& save) {
    Save dated;
    dated.modified = save.modified;
    FileEntry entry = entry_of(name, kFolder, parent, dated);
    entry.folder = true;
    return entry;
  }

  static FileEntry new_entry(std::string_view name, std::uint16_t parent,
                             const std::vector<std::uint32_t>& blocks, const Save& save) {
    bool consecutive = true;
    for (std::size_t i = 1; i < blocks.size(); ++i)
      consecutive = consecutive && blocks[i] == blocks[i - 1] + 1;
    FileEntry entry = entry_of(name, consecutive ? kConsecutive : 0, parent, save);
    const std::span<std::byte> raw(entry.raw);
    store_u24le(raw.subspan(kEntryBlocks), static_cast<std::uint32_t>(blocks.size()));
    store_u24le(raw.subspan(kEntryBlocksAgain), static_cast<std::uint32_t>(blocks.size()));
    store_u24le(raw.subspan(kEntryStart), blocks.empty() ? 0 : blocks.front());
    store_be(raw.subspan(kEntryFileSize, 4), save.parts.front().data.size());
    return entry;
  }

  Result<void> add_entry(FileEntry entry) {
    if (entries_.size() >= kMostTableBlocks * kEntriesPerBlock - 1)
      return fail(Trouble::stopped, Code::no_room, "the package's file table is full",
                  {"drop a file, after '", Remedy::take_from_card, "' copied it out"});
    entries_.push_back(std::move(entry));
    return {};
  }

  // A run of free blocks where there is one, else the first free ones; new ones behind the last.
  Result<std::vector<std::uint32_t>> allocate(std::uint64_t count) {
    std::vector<std::uint32_t> free;
    for (std::uint32_t i = 0; i < volume_.map.size(); ++i)
      if (!volume_.map[i].used()) free.push_back(i);
    std::vector<std::uint32_t> chosen;
    for (std::size_t i = 0, run = 1; i < free.size() && chosen.empty(); ++i) {
      run = i > 0 && free[i] == free[i - 1] + 1 ? run + 1 : 1;
      if (run == count)
        chosen.assign(free.begin() + static_cast<std::ptrdiff_t>(i + 1 - run),
                      free.begin() + static_cast<std::ptrdiff_t>(i + 1));
    }
    if (chosen.empty()) {
      free.resize(std::min<std::size_t>(free.size(), count));
      chosen = std::move(free);
    }
    while (chosen.size() < count) {
      if (volume_.map.size() >= kMostBlocks)
        return fail(Trouble::stopped, Code::no_room, "the package can hold no more blocks",
                    {"drop a file, after '", Remedy::take_from_card, "' copied it out"});
      chosen.push_back(static_cast<std::uint32_t>(volume_.map.size()));
      volume_.map.push_back({});
    }
    for (std::size_t i = 0; i < chosen.size(); ++i)
      volume_.map[chosen[i]] = {kUsed, i + 1 < chosen.size() ? chosen[i + 1] : kEnd, true};
    reserve(volume_.map.size());
    return chosen;
  }

  Result<void> write_file_table() {
    const std::size_t needed =
        std::max<std::size_t>(1, (entries_.size() + kEntriesPerBlock - 1) / kEntriesPerBlock);
    if (volume_.table.size() < needed) {
      const auto more = allocate(needed - volume_.table.size());
      if (!more) return tl::unexpected(more.error());
      if (!volume_.table.empty()) volume_.map[volume_.table.back()].next = more->front();
      volume_.table.insert(volume_.table.end(), more->begin(), more->end());
    }
    for (std::size_t i = 0; i < volume_.table.size(); ++i) {
      BlockEntry& entry = volume_.map[volume_.table[i]];
      if (!entry.used()) entry.status = kUsed;
      entry.next = i + 1 < volume_.table.size() ? volume_.table[i + 1] : kEnd;
      const std::span<std::byte> target = block(volume_.table[i]);
      for (std::size_t k = 0; k < kEntriesPerBlock; ++k) {
        const std::size_t place = i * kEntriesPerBlock + k;
        const std::span<std::byte> to = target.subspan(k * kEntrySize, kEntrySize);
        if (place < entries_.size() && entries_[place].exists())
          std::ranges::copy(entries_[place].raw, to.begin());
        else
          std::ranges::fill(to, std::byte{0});
      }
    }
    store_le(std::span(bytes_).subspan(kTableBlocks, 2), volume_.table.size());
    store_u24le(std::span(bytes_).subspan(kTableStart), volume_.table.front());
    return {};
  }

  // Tables that did not exist begin empty; those that did keep what is not of our making.
  void add_tables(unsigned level_after) {
    const std::uint64_t blocks = volume_.map.size();
    for (unsigned level = 0; level <= level_after; ++level)
      while (copies_[level].size() < tables_at(level, blocks)) {
        const std::uint64_t place = table_place(level, copies_[level].size(), copies());
        for (unsigned copy = 0; copy < copies(); ++copy)
          std::ranges::fill(at_place(place + copy), std::byte{0});
        copies_[level].push_back(0);
      }
  }

  void write_lowest(std::uint64_t number) {
    const std::span<std::byte> target = table(0, number);
    std::vector<unsigned> before;
    std::vector<unsigned> after;
    for (std::uint64_t i = number * kFanout;
         i < std::min<std::uint64_t>((number + 1) * kFanout, volume_.map.size()); ++i) {
      before.push_back(i < before_.size() ? before_[i].status : kUnused);
      const BlockEntry& known = volume_.map[i];
      after.push_back(known.status);
      const std::span<std::byte> entry = target.subspan(i % kFanout * kHashEntry, kHashEntry);
      if (known.used()) std::ranges::copy(sha1(block(i)), entry.begin());
      entry[kStatus] = static_cast<std::byte>(known.status);
      store_be(entry.subspan(kNext, 3), known.next);
    }
    if (before == after) return;
    const bool with_freed = counts_freed(before, Cursor(ByteView(target)).u32be(kCount));
    const auto counted = std::ranges::count_if(after, [&](unsigned status) {
      return with_freed ? status != kUnused : (status & kUsed) != 0;
    });
    store_be(target.subspan(kCount, 4), static_cast<std::uint64_t>(counted));
  }

  void write_upper(unsigned level, std::uint64_t number) {
    const std::span<std::byte> target = table(level, number);
    const std::uint64_t below = copies_[level - 1].size();
    std::uint64_t children = 0;
    for (std::uint64_t i = number * kFanout; i < std::min(below, (number + 1) * kFanout); ++i) {
      const std::span<std::byte> entry = target.subspan(i % kFanout * kHashEntry, kHashEntry);
      std::ranges::copy(sha1(table(level - 1, i)), entry.begin());
      ++children;
      if (to_u8(entry[kStatus]) != kUnused) continue;
      const unsigned copy = copies_[level - 1][i] == 1 ? kSecondCopy : 0;
      entry[kStatus] = static_cast<std::byte>(kUsed | copy);
      store_be(entry.subspan(kNext, 3), kEnd);
    }
    if (below != tables_at(level - 1, blocks_before_))
      store_be(target.subspan(kCount, 4), children);
  }

  void write_hashes() {
    const unsigned level_after =
        std::max(volume_.level, root_level(std::max<std::uint64_t>(1, volume_.map.size())));
    add_tables(level_after);
    for (std::uint64_t i = 0; i < copies_[0].size(); ++i) write_lowest(i);
    for (unsigned level = 1; level <= level_after; ++level)
      for (std::uint64_t i = 0; i < copies_[level].size(); ++i) write_upper(level, i);
    const std::span<std::byte> all(bytes_);
    all[kDescriptorSize] = std::byte{kDescriptor};
    // A new root above the old one begins with its first copy.
    if (level_after > volume_.level && copies() == 2)
      all[kSeparation] = static_cast<std::byte>(to_u8(all[kSeparation]) & ~kSecondRoot);
    std::ranges::copy(sha1(table(level_after, 0)), all.subspan(kRootHash, 20).begin());
    const auto used = std::ranges::count_if(volume_.map, &BlockEntry::used);
    store_be(all.subspan(kBlocksTotal, 4), volume_.map.size());
    store_be(all.subspan(kBlocksFree, 4), volume_.map.size() - static_cast<std::size_t>(used));
    std::ranges::copy(
        sha1(ByteView(bytes_).subspan(kContentType, volume_.header.end - kContentType)),
        all.subspan(kHeaderHash, 20).begin());
  }

  Volume volume_;
  Bytes bytes_;
  std::vector<std::vector<unsigned>> copies_;  // the live copy of each table, by level
  std::vector<BlockEntry> before_;
  std::uint64_t blocks_before_ = 0;
  std::vector<FileEntry> entries_;
};

tl::unexpected<Error> no_package() {
  return fail(Trouble::input, Code::damaged, "its header is not that of an x360 package",
              "copy it again from where it came");
}

}  // namespace

Result<Bytes> change_package(ByteView package, const std::vector<std::string>& drop,
                             const std::vector<Save>& put) {
  auto volume = read_volume(package, false);
  if (!volume) return no_package();
  Editor editor(package, std::move(*volume));
  editor.drop({drop.begin(), drop.end()});
  for (const Save& save : put)
    if (auto done = editor.put(save); !done) return tl::unexpected(done.error());
  return editor.finish();
}

Result<Bytes> emptied_package(ByteView package) {
  const auto header = parse_header(package);
  if (!header) return no_package();
  Bytes bytes(package.begin(), package.begin() + static_cast<std::ptrdiff_t>(header->end));
  const std::span<std::byte> all(bytes);
  all[kSeparation] = static_cast<std::byte>(to_u8(all[kSeparation]) & ~kSecondRoot);
  std::ranges::fill(all.subspan(kTableBlocks, 5), std::byte{0});
  std::ranges::fill(all.subspan(kBlocksTotal, 8), std::byte{0});
  return change_package(bytes, {}, {});
}

}  // namespace bayswap::x360
