// What devices write on a hub: journals of versions. docs/hub.md describes the format.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "bayswap/result.h"
#include "core/sync/save_version.h"

namespace bayswap {

/// Bytes of an entry or a bundle of them, packed or not.
inline constexpr std::uint64_t kLargestEntry = 64U << 20U;

/// One entry of a device's journal. It never changes once it is written.
struct JournalEntry {
  std::string device;        ///< id: 16 hex digits
  std::string device_name;   ///< as its user calls it
  std::uint64_t number = 1;  ///< of the entry, from 1
  std::string follows;       ///< hash of the entry before, in hex; empty for the first
  std::int64_t time_ns = 0;  ///< by the device's clock; shown only
  std::vector<SaveVersion> versions;
  /// Ids of versions whose content nobody has to keep any more.
  std::vector<std::string> let_go;
  /// Objects that the device could not read: who has them puts them there again.
  std::vector<Digest> wanted;

  std::string hash;  ///< of the bytes, in hex; not part of them
};

/// `DEVICE-00000012`: its file's name.
[[nodiscard]] std::string entry_name(const std::string& device, std::uint64_t number);

/// The journal files that a name stands for: one entry, or a bundle of several.
struct EntryRange {
  std::string device;
  std::uint64_t first = 0;
  std::uint64_t last = 0;  ///< the same for a single entry
};
/// Nothing for a name of something else.
[[nodiscard]] std::optional<EntryRange> parse_entry_name(const std::string& name);

/// So many entries of a device, counted from its first, become one file once all are written, so
/// that a listing stays short.
inline constexpr std::uint64_t kEntriesInBundle = 64;
/// The bundle that has an entry, or will have it.
[[nodiscard]] EntryRange bundle_with(const std::string& device, std::uint64_t number);
/// `DEVICE-00000001-00000064`: its file's name.
[[nodiscard]] std::string bundle_name(const EntryRange& range);
/// The bytes of the entries in a bundle. Errors: `hub-damaged` when there are more or fewer.
[[nodiscard]] Result<std::vector<ByteView>> entries_in_bundle(ByteView bundle,
                                                              const EntryRange& range);

/// The entry's bytes, before packing; `hash` and the ids of its versions are filled in.
[[nodiscard]] Bytes entry_bytes(JournalEntry& entry);
/// Errors: `hub-damaged` for bytes that are no such entry. `name`: of its file.
[[nodiscard]] Result<JournalEntry> read_entry(ByteView bytes, const std::string& name);

}  // namespace bayswap
