#include "storage/hash.h"

#include <openssl/evp.h>

#include "bytes/text.h"

namespace bayswap {

Digest sha256(ByteView bytes) {
  Digest digest{};
  unsigned size = 0;
  EVP_Digest(bytes.data(), bytes.size(), reinterpret_cast<unsigned char*>(digest.data()), &size,
             EVP_sha256(), nullptr);
  return digest;
}

Hasher::Hasher()
    : state_(EVP_MD_CTX_new(),
             [](void* state) { EVP_MD_CTX_free(static_cast<EVP_MD_CTX*>(state)); }) {
  EVP_DigestInit_ex(static_cast<EVP_MD_CTX*>(state_.get()), EVP_sha256(), nullptr);
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
