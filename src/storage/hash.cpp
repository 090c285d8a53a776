#include "storage/hash.h"

#include <openssl/evp.h>

#include "bytes/text.h"

namespace bayswap {

namespace {

// Looked up once: for pieces of a few KiB the library's own lookup costs as much as the hashing.
const EVP_MD* algorithm() {
  static const EVP_MD* const fetched = EVP_MD_fetch(nullptr, "SHA256", nullptr);
  return fetched == nullptr ? EVP_sha256() : fetched;
}

}  // namespace

Digest sha256(ByteView bytes) {
  Digest digest{};
  unsigned size = 0;
  EVP_Digest(bytes.data(), bytes.size(), reinterpret_cast<unsigned char*>(digest.data()), &size,
             algorithm(), nullptr);
  return digest;
}

Hasher::Hasher()
    : state_(EVP_MD_CTX_new(),
             [](void* state) { EVP_MD_CTX_free(static_cast<EVP_MD_CTX*>(state)); }) {
  EVP_DigestInit_ex(static_cast<EVP_MD_CTX*>(state_.get()), algorithm(), nullptr);
}

void Hasher::add(ByteView piece) {
  EVP_DigestUpdate(static_cast<EVP_MD_CTX*>(state_.get()), piece.data(), piece.size());
}

Digest Hasher::finish() {
  Digest digest{};
  unsigned size = 0;
  EVP_DigestFinal_ex(static_cast<EVP_MD_CTX*>(state_.get()),
                     reinterpret_cast<unsigned char*>(digest.data()), &size);
  return digest;
}

std::string sha256_hex(ByteView bytes) {
  return hex_text(sha256(bytes));
}

}  // namespace bayswap
