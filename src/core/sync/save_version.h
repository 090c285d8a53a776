// A version of a save as devices tell each other of it: which game, what it holds, and which
// versions it follows. What follows what is told by parents alone, never by clocks.
#pragma once

#include <cstdint>
#include <map>
#include <optional>
#include <string>
#include <vector>

#include "bayswap/save.h"
#include "core/bytes/hash.h"

namespace bayswap {

/// All that is known of the game and of which of its saves this is. Empty members are unknown.
struct SaveIdentity {
  System system = System::snes;
  Kind kind = Kind::battery;
  Game game;          ///< without the account: devices name accounts differently
  std::string role;   ///< which of several accounts or copies; empty for the usual one
  std::string label;  ///< name of a card's save
  std::string slot;   ///< of a state
  std::string stem;   ///< the ROM's file name, or what the save is called
  std::string rom;    ///< SHA-256 of the ROM in hex, where nothing in it says which game it is

  bool operator==(const SaveIdentity&) const = default;
};

/// A part and the objects that its bytes are in, in order.
struct VersionPart {
  std::string name;
  std::uint64_t size = 0;  ///< bytes
  bool blank = false;
  std::vector<Digest> pieces;
  std::optional<Digest> entry;  ///< the record that a card keeps of a file inside a save

  bool operator==(const VersionPart&) const = default;
};

struct SaveVersion {
  std::string id;                    ///< worked out of the journal entry that it stands in
  std::vector<std::string> parents;  ///< ids of the versions that it follows
  std::string device;                ///< id of the one that made it known
  std::string bay;                   ///< there
  std::int64_t time_ns = 0;  ///< when the progress was made, by the device's clock; shown only
  SaveIdentity identity;
  std::string layout;  ///< of the file that it was read from
  std::vector<VersionPart> parts;
  std::optional<Digest> entry;  ///< the record that a card keeps of the save
  std::string comment;
  Digest progress{};         ///< same_progress()
  std::uint64_t filled = 0;  ///< bytes that are not erased
  bool on_purpose = false;   ///< somebody chose it, although others came later

  [[nodiscard]] std::uint64_t size() const;  ///< bytes of all parts
};

/// What a save holds, whatever file it is in: the same for two saves exactly when a game would see
/// no difference. Erased bytes at the end of a chip and a running clock do not count.
[[nodiscard]] Digest progress_of(const Save& save);

/// Bytes that are neither 00 nor FF.
[[nodiscard]] std::uint64_t filled_bytes(const Save& save);

/// Names by which saves of different devices are known as those of one game. Two saves that share a
/// strong name are. Those that share the weak one (the title) are, unless strong ones contradict.
struct IdentityNames {
  std::map<std::string, std::string> strong;  ///< by kind: `code`, `serial` …
  std::string weak;                           ///< empty where there is no title
};
[[nodiscard]] IdentityNames names_of(const SaveIdentity& identity);

}  // namespace bayswap
