// A sealed hub: names and contents on it say nothing to who keeps it, and changed bytes are
// noticed. docs/hub.md describes the format. One secret of 16 bytes; all that is done with it is
// libsodium's.
#pragma once

#include <array>
#include <cstddef>
#include <optional>
#include <string>
#include <string_view>

#include "bayswap/bytes.h"
#include "bayswap/result.h"

namespace bayswap {

/// From which the keys of a sealed hub are made. Every device that joins has it.
using SealSecret = std::array<std::byte, 16>;

[[nodiscard]] SealSecret random_secret();
/// Sixteen words, and one that tells mistakes in them.
[[nodiscard]] std::string words_of(const SealSecret& secret);
/// The secret that words stand for; the first four letters of each are enough. Errors: `usage`.
[[nodiscard]] Result<SealSecret> secret_of(std::string_view words);

class Seal {
 public:
  /// The most that a sealed content is longer than what it holds, in bytes.
  static constexpr std::size_t kMostAdded = 2048;

  explicit Seal(const SealSecret& secret);

  /// The name under which a file lies on the hub, in hex; the same each time.
  [[nodiscard]] std::string name_of(std::string_view plain) const;
  /// Nothing for a name that is not of this seal.
  [[nodiscard]] std::optional<std::string> plain_of(const std::string& name) const;

  /// The content of a file with this (plain) name; others each time.
  [[nodiscard]] Bytes sealed(ByteView content, std::string_view plain) const;
  /// Nothing when a byte was changed, or the content belongs to another name.
  [[nodiscard]] std::optional<Bytes> opened(ByteView sealed, std::string_view plain) const;

  /// What the hub's id file says, so that a wrong secret is noticed at once.
  [[nodiscard]] std::string proof(const std::string& hub_id) const;

 private:
  using Key = std::array<unsigned char, 32>;
  Key names_{};       // encrypts names
  Key name_marks_{};  // makes the nonce from a name, and so proves it
  Key contents_{};
  Key proofs_{};
};

}  // namespace bayswap
