// Messages of the reader link: maps of CBOR (RFC 8949) in the narrow form that the link allows.
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <string_view>
#include <utility>
#include <variant>
#include <vector>

#include "bayswap/bytes.h"

namespace bayswap {

/// Bytes of a text that a reader sends: names, serial numbers, what went wrong.
inline constexpr std::size_t kLongestReaderText = 200;

struct CborField;
/// A map's keys and values. No key stands twice.
using CborMap = std::vector<CborField>;

struct CborValue {
  std::variant<std::monostate, std::int64_t, bool, std::string, Bytes, std::vector<CborValue>,
               CborMap>
      is;  // monostate: null
};

struct CborField {
  CborField(std::string key, CborValue held) : first(std::move(key)), second(std::move(held)) {}
  std::string first;
  CborValue second;
};

/// Values of a kind in a message; nothing when the key is absent or of another kind.
[[nodiscard]] std::optional<std::int64_t> number_in(const CborMap& fields, std::string_view key);
[[nodiscard]] std::optional<bool> truth_in(const CborMap& fields, std::string_view key);
[[nodiscard]] const std::string* text_in(const CborMap& fields, std::string_view key);
[[nodiscard]] const Bytes* bytes_in(const CborMap& fields, std::string_view key);
[[nodiscard]] const std::vector<CborValue>* list_in(const CborMap& fields, std::string_view key);
/// Takes the bytes out of the message.
[[nodiscard]] std::optional<Bytes> take_bytes(CborMap& fields, std::string_view key);
[[nodiscard]] bool has_key(const CborMap& fields, std::string_view key);

[[nodiscard]] Bytes encoded(const CborMap& message);

/// The message; nothing when the bytes are not one CBOR map with text keys, definite lengths, whole
/// numbers, no tags and no repeated keys, at most 8 levels deep.
[[nodiscard]] std::optional<CborMap> decoded(ByteView payload);

}  // namespace bayswap
