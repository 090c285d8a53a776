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

std::string sha256_hex(ByteView bytes) {
  return hex_text(sha256(bytes));
}

}  // namespace bayswap
