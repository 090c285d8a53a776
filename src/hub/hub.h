// A hub: where devices meet. Content lies there as immutable objects, named after the SHA-256 of
// what they hold; what happened stands in journals, of which each device writes only its own.
#pragma once

#include <map>
#include <memory>
#include <random>
#include <set>
#include <string>
#include <vector>

#include "bayswap/storage.h"
#include "hub/journal.h"
#include "hub/store.h"

namespace bayswap {

/// Content is cut into objects of this many bytes, so that a small change moves little.
inline constexpr std::size_t kObjectSize = 0x10000;

/// Random hex digits.
[[nodiscard]] std::string random_id(std::size_t digits);

class Hub {
 public:
  /// A hub that is there, or a new one in an empty place. Errors: `hub-failed`; `hub-differs` when
  /// other files lie there.
  [[nodiscard]] static Result<Hub> join(std::unique_ptr<HubStore> store);
  /// The hub that was joined. Errors: `hub-failed`; `hub-differs` when it is another one, or none:
  /// an empty mount point.
  [[nodiscard]] static Result<Hub> open(std::unique_ptr<HubStore> store, const std::string& id);

  [[nodiscard]] const std::string& id() const { return id_; }
  [[nodiscard]] HubStore& store() { return *store_; }

  /// Puts a content there, if it is not there yet.
  Result<void> put_object(const Digest& digest, ByteView content);
  /// The same where what lies there may be damaged: it is read first, and replaced.
  Result<void> put_again(const Digest& digest, ByteView content);
  /// Errors: `hub-damaged` when it is missing or holds something else. `limit`: bytes.
  [[nodiscard]] Result<Bytes> object(const Digest& digest, std::uint64_t limit = kObjectSize);
  /// All that are there. For checks: it lists many folders.
  [[nodiscard]] Result<std::set<Digest>> objects();
  Result<void> remove_object(const Digest& digest);

  /// Names of journal entries. A listing may be stale: what it lacks may be there.
  [[nodiscard]] Result<std::vector<std::string>> entries();
  /// The bytes of an entry as they lie there; nothing when there is none.
  [[nodiscard]] Result<std::optional<Bytes>> packed_entry(const std::string& name);
  /// Puts an entry there again whose bytes on the hub are not what they were.
  Result<void> put_entry_again(const std::string& name, ByteView packed);
  /// False when the number is taken.
  Result<bool> put_entry(const JournalEntry& entry, ByteView bytes);

  /// Objects that were put or found there.
  [[nodiscard]] bool has_seen(const Digest& digest) const { return seen_.contains(digest); }
  void note_seen(const Digest& digest) { seen_.insert(digest); }

 private:
  explicit Hub(std::unique_ptr<HubStore> store) : store_(std::move(store)) {}

  std::unique_ptr<HubStore> store_;
  std::string id_;
  std::set<Digest> seen_;
  std::set<std::string> folders_;  // that are there
};

/// Packs and unpacks what lies on a hub. Errors: `hub-damaged`, `too-large`.
[[nodiscard]] Result<Bytes> pack_for_hub(ByteView content);
[[nodiscard]] Result<Bytes> unpack_from_hub(ByteView packed, std::uint64_t limit,
                                            const std::string& name);

/// Puts all entries of one device behind each other. An entry that does not follow from the one
/// before ends it: what comes later is left out, and `damaged` says so.
struct DeviceJournal {
  std::vector<JournalEntry> entries;
  std::optional<Error> damaged;
};
[[nodiscard]] DeviceJournal chained(std::vector<JournalEntry> entries);

}  // namespace bayswap
