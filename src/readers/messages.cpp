#include "readers/messages.h"

#include <algorithm>
#include <limits>
#include <nlohmann/json.hpp>
#include <set>

#include "core/bytes/cursor.h"
#include "core/bytes/text.h"

namespace bayswap {
namespace {

using nlohmann::json;

constexpr unsigned kDeepest = 8;  // levels of maps and lists

const CborValue* find(const CborMap& fields, std::string_view key) {
  const auto found = std::ranges::find(fields, key, &CborField::first);
  return found == fields.end() ? nullptr : &found->second;
}

template <class T>
const T* of_kind(const CborMap& fields, std::string_view key) {
  const CborValue* value = find(fields, key);
  return value == nullptr ? nullptr : std::get_if<T>(&value->is);
}

// The library that reads CBOR allows more than the link does. This looks at the bytes first. It
// also puts a number in place of each byte string, since the library reads those byte by byte,
// which takes longer than a fast link.
class StrictCheck {
 public:
  explicit StrictCheck(ByteView bytes) : bytes_(bytes) {}

  bool is_message() {
    const bool sound =
        !bytes_.empty() && to_u8(bytes_.front()) >> 5U == kMap && item(0) && at_ == bytes_.size();
    if (sound) copy_up_to(at_);
    return sound;
  }
  /// The message with a number, in two bytes, for each byte string.
  [[nodiscard]] const Bytes& numbered() const { return numbered_; }
  /// The byte strings, by number.
  [[nodiscard]] const std::vector<ByteView>& strings() const { return strings_; }

 private:
  static constexpr unsigned kUnsigned = 0;
  static constexpr unsigned kNegative = 1;
  static constexpr unsigned kByteString = 2;
  static constexpr unsigned kText = 3;
  static constexpr unsigned kList = 4;
  static constexpr unsigned kMap = 5;
  static constexpr unsigned kSimple = 7;

  bool item(unsigned depth) {
    if (at_ >= bytes_.size()) return false;
    const std::size_t begin = at_;
    const unsigned head = to_u8(bytes_[at_++]);
    const unsigned major = head >> 5U;
    const unsigned info = head & 0x1FU;
    if (major == kSimple) return info >= 20 && info <= 22;  // false, true, null
    const auto number = argument(info);
    if (!number) return false;
    switch (major) {
      case kUnsigned:
      case kNegative: return *number <= std::uint64_t{std::numeric_limits<std::int64_t>::max()};
      case kByteString: return byte_string(begin, *number);
      case kText: {
        const auto text = take(*number);
        return text && is_utf8(*text);
      }
      case kList: return depth < kDeepest && list(*number, depth);
      case kMap: return depth < kDeepest && map(*number, depth);
      default: return false;  // tags
    }
  }

  // `begin`: of its head. A message has fewer than 65,536 of them.
  bool byte_string(std::size_t begin, std::uint64_t size) {
    const auto bytes = take(size);
    if (!bytes) return false;
    copy_up_to(begin);
    copied_ = at_;
    const auto number = static_cast<unsigned>(strings_.size());
    for (const unsigned byte : {0x42U, number >> 8U & 0xFFU, number & 0xFFU})
      numbered_.push_back(static_cast<std::byte>(byte));
    strings_.push_back(*bytes);
    return true;
  }
  void copy_up_to(std::size_t end) {
    const ByteView piece = bytes_.subspan(copied_, end - copied_);
    numbered_.insert(numbered_.end(), piece.begin(), piece.end());
  }

  bool list(std::uint64_t count, unsigned depth) {
    if (count > bytes_.size() - at_) return false;
    for (std::uint64_t i = 0; i < count; ++i)
      if (!item(depth + 1)) return false;
    return true;
  }

  bool map(std::uint64_t count, unsigned depth) {
    if (count > (bytes_.size() - at_) / 2) return false;
    std::set<std::string> keys;
    for (std::uint64_t i = 0; i < count; ++i) {
      if (at_ >= bytes_.size()) return false;
      const unsigned head = to_u8(bytes_[at_++]);
      const auto size = argument(head & 0x1FU);
      if (head >> 5U != kText || !size) return false;
      const auto key = take(*size);
      if (!key || !is_utf8(*key)) return false;
      const std::string text(reinterpret_cast<const char*>(key->data()), key->size());
      if (!keys.insert(text).second || !item(depth + 1)) return false;
    }
    return true;
  }

  // The number in a head, or behind it. Lengths that are not told are not allowed.
  std::optional<std::uint64_t> argument(unsigned info) {
    if (info < 24) return info;
    if (info > 27) return std::nullopt;
    const auto bytes = take(std::uint64_t{1} << (info - 24));
    if (!bytes) return std::nullopt;
    std::uint64_t value = 0;
    for (const std::byte byte : *bytes) value = value << 8U | to_u8(byte);
    return value;
  }

  std::optional<ByteView> take(std::uint64_t size) {
    const auto taken = slice(bytes_, at_, size);
    if (taken) at_ += taken->size();
    return taken;
  }

  ByteView bytes_;
  std::size_t at_ = 0;
  std::size_t copied_ = 0;  // of the message
  Bytes numbered_;
  std::vector<ByteView> strings_;
};

using ByteStrings = std::vector<ByteView>;

CborValue value_of(json& from, const ByteStrings& strings);

CborMap fields_of(json& from, const ByteStrings& strings) {
  CborMap fields;
  for (auto& [key, value] : from.items()) fields.emplace_back(key, value_of(value, strings));
  return fields;
}

CborValue value_of(json& from, const ByteStrings& strings) {
  if (from.is_null()) return {};
  if (from.is_boolean()) return {from.get<bool>()};
  if (from.is_string()) return {std::move(from.get_ref<std::string&>())};
  if (from.is_object()) return {fields_of(from, strings)};
  if (from.is_binary()) {
    const auto& number = from.get_binary();
    const ByteView bytes = strings.at(number.at(0) * 256U + number.at(1));
    return {Bytes(bytes.begin(), bytes.end())};
  }
  if (from.is_array()) {
    std::vector<CborValue> list;
    for (json& one : from) list.push_back(value_of(one, strings));
    return {std::move(list)};
  }
  return {from.get<std::int64_t>()};
}

json json_of(const CborValue& value);

json json_of(const CborMap& fields) {
  json object = json::object();
  for (const auto& [key, value] : fields) object[key] = json_of(value);
  return object;
}

json json_of(const CborValue& value) {
  return std::visit(
      [](const auto& held) -> json {
        using T = std::decay_t<decltype(held)>;
        if constexpr (std::is_same_v<T, std::monostate>) {
          return nullptr;
        } else if constexpr (std::is_same_v<T, Bytes>) {
          const auto* data = reinterpret_cast<const std::uint8_t*>(held.data());
          return json::binary(std::vector<std::uint8_t>(data, data + held.size()));
        } else if constexpr (std::is_same_v<T, std::vector<CborValue>>) {
          json list = json::array();
          for (const CborValue& one : held) list.push_back(json_of(one));
          return list;
        } else if constexpr (std::is_same_v<T, CborMap>) {
          return json_of(held);
        } else {
          return held;
        }
      },
      value.is);
}

}  // namespace

std::optional<std::int64_t> number_in(const CborMap& fields, std::string_view key) {
  const auto* value = of_kind<std::int64_t>(fields, key);
  return value == nullptr ? std::nullopt : std::optional(*value);
}

std::optional<bool> truth_in(const CborMap& fields, std::string_view key) {
  const auto* value = of_kind<bool>(fields, key);
  return value == nullptr ? std::nullopt : std::optional(*value);
}

const std::string* text_in(const CborMap& fields, std::string_view key) {
  return of_kind<std::string>(fields, key);
}

const Bytes* bytes_in(const CborMap& fields, std::string_view key) {
  return of_kind<Bytes>(fields, key);
}

std::optional<Bytes> take_bytes(CborMap& fields, std::string_view key) {
  const auto found = std::ranges::find(fields, key, &CborField::first);
  auto* bytes = found == fields.end() ? nullptr : std::get_if<Bytes>(&found->second.is);
  return bytes == nullptr ? std::nullopt : std::optional(std::move(*bytes));
}

const std::vector<CborValue>* list_in(const CborMap& fields, std::string_view key) {
  return of_kind<std::vector<CborValue>>(fields, key);
}

bool has_key(const CborMap& fields, std::string_view key) {
  return find(fields, key) != nullptr;
}

Bytes encoded(const CborMap& message) {
  Bytes bytes;
  const std::vector<std::uint8_t> made = json::to_cbor(json_of(message));
  const auto view = std::as_bytes(std::span(made));
  bytes.assign(view.begin(), view.end());
  return bytes;
}

std::optional<CborMap> decoded(ByteView payload) {
  StrictCheck check(payload);
  if (!check.is_message()) return std::nullopt;
  const auto* begin = reinterpret_cast<const std::uint8_t*>(check.numbered().data());
  json read = json::from_cbor(begin, begin + check.numbered().size(), true, false);
  if (!read.is_object()) return std::nullopt;
  return fields_of(read, check.strings());
}

}  // namespace bayswap
