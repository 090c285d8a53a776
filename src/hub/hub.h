// A hub: where devices meet. Content lies there as immutable objects, named after the SHA-256 of
// what they hold; what happened stands in journals, of which each device writes only its own.
#pragma once

#include <functional>
#include <map>
#include <memory>
#include <random>
#include <set>
#include <string>
#include <vector>

#include "bayswap/storage.h"
#include "hub/journal.h"
#include "hub/seal.h"
#include "hub/store.h"

namespace bayswap {

/// Content is cut into objects of this many bytes, so that a small change moves little.
inline constexpr std::size_t kObjectSize = 0x10000;

/// The id of a device: 16 random hex digits.
[[nodiscard]] std::string new_device_id();

/// Where a device keeps the secrets of sealed hubs.
struct SealKeeper {
  /// Of a sealed hub that is there. Errors: `usage` when nobody has it, or the words are wrong.
  std::function<Result<SealSecret>(const std::string& hub_id)> find;
  /// Kept before anything is sealed with it.
  std::function<Result<void>(const std::string& hub_id, const SealSecret& secret)> keep;
};

class Hub {
 public:
  /// A hub that is there, or a new one in an empty place, sealed when asked for. Errors:
  /// `hub-failed`; `hub-differs` when other files lie there; `usage` when a hub that is not sealed
  /// should be; those of the keeper.
  [[nodiscard]] static Result<Hub> join(std::unique_ptr<HubStore> store, bool seal = false,
                                        const SealKeeper& keeper = {});
  /// The hub that was joined; `secret` of a sealed one. Errors: `hub-failed`; `hub-differs` when it
  /// is another one, is not sealed as it was, or is none: an empty mount point.
  [[nodiscard]] static Result<Hub> open(std::unique_ptr<HubStore> store, const std::string& id,
                                        const std::optional<SealSecret>& secret);

  [[nodiscard]] const std::string& id() const { return id_; }
  [[nodiscard]] bool is_sealed() const { return seal_.has_value(); }
  /// Whether join() made it.
  [[nodiscard]] bool is_new() const { return is_new_; }
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

  /// Names of journal entries and bundles. A listing may be stale: what it lacks may be there.
  [[nodiscard]] Result<std::vector<std::string>> entries();
  /// The packed bytes of an entry; nothing when there is none. Errors: `hub-damaged` when its seal
  /// is broken.
  [[nodiscard]] Result<std::optional<Bytes>> packed_entry(const std::string& name);
  /// Puts an entry or bundle there again whose bytes on the hub are not what they were.
  Result<void> put_entry_again(const std::string& name, ByteView packed);
  /// Takes an entry or bundle away. For a device's own ones.
  Result<void> remove_entry(const std::string& name);
  /// False when the number is taken.
  Result<bool> put_entry(const JournalEntry& entry, ByteView bytes);

  /// Objects that were put or found there.
  [[nodiscard]] bool has_seen(const Digest& digest) const { return seen_.contains(digest); }
  void note_seen(const Digest& digest) { seen_.insert(digest); }

 private:
  explicit Hub(std::unique_ptr<HubStore> store) : store_(std::move(store)) {}

  [[nodiscard]] std::string path_of(const Digest& object) const;
  [[nodiscard]] std::string path_of(const std::string& entry) const;
  /// The object that a name on the hub stands for.
  [[nodiscard]] std::optional<Digest> digest_in(const std::string& name) const;
  /// From and to the store; `plain`: the name that the seal is bound to.
  [[nodiscard]] Result<std::optional<Bytes>> get(const std::string& path, const std::string& plain,
                                                 std::uint64_t limit);
  [[nodiscard]] Bytes as_stored(Bytes packed, const std::string& plain) const;

  std::unique_ptr<HubStore> store_;
  std::string id_;
  std::optional<Seal> seal_;
  bool is_new_ = false;
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
