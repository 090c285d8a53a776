#include "bytes/sha1.h"

#include <openssl/evp.h>

namespace bayswap {

Sha1 sha1(ByteView bytes) {
  Sha1 digest{};
  unsigned size = 0;
  EVP_Digest(bytes.data(), bytes.size(), reinterpret_cast<unsigned char*>(digest.data()), &size,
             EVP_sha1(), nullptr);
  return digest;
}

}  // namespace bayswap
