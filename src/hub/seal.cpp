#include "hub/seal.h"

#include <fmt/core.h>
#include <sodium.h>

#include <algorithm>
#include <cstdlib>
#include <vector>

#include "core/bytes/text.h"
#include "hub/seal_words.h"

namespace bayswap {
namespace {

constexpr std::size_t kBlock = 1024;  // bytes: sizes on the hub are rounded up to these
constexpr std::size_t kMark = crypto_stream_xchacha20_NONCEBYTES;
constexpr std::size_t kHeader = crypto_secretstream_xchacha20poly1305_HEADERBYTES;
constexpr std::size_t kTag = crypto_secretstream_xchacha20poly1305_ABYTES;
static_assert(kBlock + kHeader + kTag <= Seal::kMostAdded);

const unsigned char* raw(ByteView bytes) {
  return reinterpret_cast<const unsigned char*>(bytes.data());
}
unsigned char* raw(Bytes& bytes) {
  return reinterpret_cast<unsigned char*>(bytes.data());
}

// Without a source of random numbers nothing can be sealed.
void start_sodium() {
  if (sodium_init() < 0) std::abort();
}

// Keyed BLAKE2b.
template <std::size_t Size>
std::array<unsigned char, Size> keyed_hash(ByteView of, std::span<const unsigned char> key) {
  std::array<unsigned char, Size> hash{};
  crypto_generichash(hash.data(), hash.size(), raw(of), of.size(), key.data(), key.size());
  return hash;
}

std::byte check_byte(const SealSecret& secret) {
  return std::byte{keyed_hash<32>(secret, {}).front()};
}

std::optional<std::size_t> value_of(const std::string& word) {
  constexpr std::size_t kEnough = 4;  // letters
  for (std::size_t value = 0; value < kSealWords.size(); ++value) {
    const std::string_view known = kSealWords[value];
    if (known == word || (word.size() >= kEnough && known.starts_with(word))) return value;
  }
  return std::nullopt;
}

std::vector<std::string> words_in(std::string_view text) {
  std::vector<std::string> words(1);
  for (const char c : lower_ascii(std::string(text)))
    if (c >= 'a' && c <= 'z')
      words.back() += c;
    else if (!words.back().empty())
      words.emplace_back();
  if (words.back().empty()) words.pop_back();
  return words;
}

}  // namespace

SealSecret random_secret() {
  SealSecret secret{};
  start_sodium();
  randombytes_buf(secret.data(), secret.size());
  return secret;
}

std::string words_of(const SealSecret& secret) {
  std::string words;
  for (const std::byte byte : secret)
    words += std::string(kSealWords[std::to_integer<std::size_t>(byte)]) + " ";
  return words + std::string(kSealWords[std::to_integer<std::size_t>(check_byte(secret))]);
}

Result<SealSecret> secret_of(std::string_view text) {
  const auto wrong = [](const std::string& why) {
    return fail(Trouble::usage, Code::usage, why,
                "type the words in the order in which they were shown when the hub was made");
  };
  const auto words = words_in(text);
  SealSecret secret{};
  if (words.size() != secret.size() + 1)
    return wrong(fmt::format("a sealed hub has {} words, not {}", secret.size() + 1, words.size()));
  std::byte last{};
  for (std::size_t i = 0; i < words.size(); ++i) {
    const auto value = value_of(words[i]);
    // A wrong word is a part of the secret: it's told by its place.
    if (!value) return wrong(fmt::format("word {} is not one of a hub's words", i + 1));
    (i < secret.size() ? secret[i] : last) = static_cast<std::byte>(*value);
  }
  if (last != check_byte(secret))
    return wrong("the words don't fit together: one of them is wrong");
  return secret;
}

Seal::Seal(const SealSecret& secret) {
  start_sodium();
  const auto key = [&](std::string_view purpose) {
    const std::span<const unsigned char> from(reinterpret_cast<const unsigned char*>(secret.data()),
                                              secret.size());
    return keyed_hash<32>(as_bytes(purpose), from);
  };
  names_ = key("bayswap hub names");
  name_marks_ = key("bayswap hub name marks");
  contents_ = key("bayswap hub contents");
  proofs_ = key("bayswap hub proof");
}

// The nonce is made from the name, so that the same name is found again; opened, it has to fit.
std::string Seal::name_of(std::string_view plain) const {
  const auto mark = keyed_hash<kMark>(as_bytes(plain), name_marks_);
  Bytes name(mark.size() + plain.size());
  std::ranges::copy(std::as_bytes(std::span(mark)), name.begin());
  crypto_stream_xchacha20_xor(raw(name) + mark.size(), raw(as_bytes(plain)), plain.size(),
                              mark.data(), names_.data());
  return hex_text(name);
}

std::optional<std::string> Seal::plain_of(const std::string& name) const {
  const auto bytes = bytes_of_hex(name);
  if (!bytes || bytes->size() <= kMark) return std::nullopt;
  const ByteView packed = ByteView(*bytes).subspan(kMark);
  std::string plain(packed.size(), '\0');
  crypto_stream_xchacha20_xor(reinterpret_cast<unsigned char*>(plain.data()), raw(packed),
                              packed.size(), raw(ByteView(*bytes)), names_.data());
  return name_of(plain) == name ? std::optional(plain) : std::nullopt;
}

Bytes Seal::sealed(ByteView content, std::string_view plain) const {
  Bytes padded(content.begin(), content.end());
  padded.push_back(std::byte{0x80});
  padded.resize((padded.size() + kBlock - 1) / kBlock * kBlock);
  Bytes out(kHeader + padded.size() + kTag);
  crypto_secretstream_xchacha20poly1305_state state;
  crypto_secretstream_xchacha20poly1305_init_push(&state, raw(out), contents_.data());
  const ByteView name = as_bytes(plain);
  crypto_secretstream_xchacha20poly1305_push(
      &state, raw(out) + kHeader, nullptr, raw(ByteView(padded)), padded.size(), raw(name),
      name.size(), crypto_secretstream_xchacha20poly1305_TAG_FINAL);
  return out;
}

std::optional<Bytes> Seal::opened(ByteView sealed, std::string_view plain) const {
  if (sealed.size() < kHeader + kTag) return std::nullopt;
  crypto_secretstream_xchacha20poly1305_state state;
  if (crypto_secretstream_xchacha20poly1305_init_pull(&state, raw(sealed), contents_.data()) != 0)
    return std::nullopt;
  const ByteView packed = sealed.subspan(kHeader);
  Bytes content(packed.size() - kTag);
  unsigned char tag = 0;
  const ByteView name = as_bytes(plain);
  if (crypto_secretstream_xchacha20poly1305_pull(&state, raw(content), nullptr, &tag, raw(packed),
                                                 packed.size(), raw(name), name.size()) != 0 ||
      tag != crypto_secretstream_xchacha20poly1305_TAG_FINAL)
    return std::nullopt;
  const auto end = std::find(content.rbegin(), content.rend(), std::byte{0x80});
  if (end == content.rend()) return std::nullopt;
  content.resize(static_cast<std::size_t>(content.rend() - end) - 1);
  return content;
}

std::string Seal::proof(const std::string& hub_id) const {
  const auto hash = keyed_hash<32>(as_bytes(hub_id), proofs_);
  return hex_text(std::as_bytes(std::span(hash)));
}

}  // namespace bayswap
