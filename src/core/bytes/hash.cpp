// The library's own functions for one algorithm: its general ones bring every algorithm along, and
// with them a third of the tool's start-up. It calls them deprecated for others' sake: they do not
// go through replaceable providers, which nothing here needs.
#define OPENSSL_API_COMPAT 0x10101000L
#include "core/bytes/hash.h"

#include <openssl/sha.h>

#include "core/bytes/text.h"

namespace bayswap {

namespace {

SHA256_CTX& sums(const std::unique_ptr<void, void (*)(void*)>& state) {
  return *static_cast<SHA256_CTX*>(state.get());
}

unsigned char* raw(Digest& digest) {
  return reinterpret_cast<unsigned char*>(digest.data());
}

}  // namespace

Digest sha256(ByteView bytes) {
  Digest digest{};
  SHA256_CTX state;
  SHA256_Init(&state);
  SHA256_Update(&state, bytes.data(), bytes.size());
  SHA256_Final(raw(digest), &state);
  return digest;
}

Hasher::Hasher()
    : state_(new SHA256_CTX, [](void* state) { delete static_cast<SHA256_CTX*>(state); }) {
  SHA256_Init(&sums(state_));
}

void Hasher::add(ByteView piece) {
  SHA256_Update(&sums(state_), piece.data(), piece.size());
}

Digest Hasher::finish() {
  Digest digest{};
  SHA256_Final(raw(digest), &sums(state_));
  return digest;
}

std::string sha256_hex(ByteView bytes) {
  return hex_text(sha256(bytes));
}

}  // namespace bayswap
