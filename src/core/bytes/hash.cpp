#include "core/bytes/hash.h"

#include <fmt/core.h>
#include <openssl/evp.h>
#include <zlib.h>

#include <algorithm>

#include "core/bytes/text.h"

namespace bayswap {
namespace {

EVP_MD_CTX* sums(const std::unique_ptr<void, void (*)(void*)>& state) {
  return static_cast<EVP_MD_CTX*>(state.get());
}

template <std::size_t N>
std::array<std::byte, N> digest_of(ByteView bytes, const EVP_MD* kind) {
  std::array<std::byte, N> digest{};
  EVP_Digest(bytes.data(), bytes.size(), reinterpret_cast<unsigned char*>(digest.data()), nullptr,
             kind, nullptr);
  return digest;
}

}  // namespace

Digest sha256(ByteView bytes) {
  return digest_of<std::tuple_size_v<Digest>>(bytes, EVP_sha256());
}

std::string sha256_hex(ByteView bytes) {
  return hex_text(sha256(bytes));
}

Sha1 sha1(ByteView bytes) {
  return digest_of<std::tuple_size_v<Sha1>>(bytes, EVP_sha1());
}

std::string md5_hex(ByteView bytes) {
  return hex_text(digest_of<16>(bytes, EVP_md5()));
}

Hasher::Hasher()
    : state_(EVP_MD_CTX_new(),
             [](void* state) { EVP_MD_CTX_free(static_cast<EVP_MD_CTX*>(state)); }) {
  EVP_DigestInit_ex(sums(state_), EVP_sha256(), nullptr);
}

void Hasher::add(ByteView piece) {
  EVP_DigestUpdate(sums(state_), piece.data(), piece.size());
}

Digest Hasher::finish() {
  Digest digest{};
  EVP_DigestFinal_ex(sums(state_), reinterpret_cast<unsigned char*>(digest.data()), nullptr);
  return digest;
}

std::string crc32_hex(ByteView bytes) {
  uLong sum = crc32(0, nullptr, 0);
  constexpr std::size_t kStep = 1U << 30U;
  for (std::size_t at = 0; at < bytes.size(); at += kStep) {
    const ByteView piece = bytes.subspan(at, std::min(kStep, bytes.size() - at));
    sum = crc32(sum, reinterpret_cast<const Bytef*>(piece.data()), static_cast<uInt>(piece.size()));
  }
  return fmt::format("{:08x}", sum);
}

}  // namespace bayswap
