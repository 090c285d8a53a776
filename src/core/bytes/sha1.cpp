#define OPENSSL_API_COMPAT 0x10101000L  // for the functions of one algorithm, see storage/hash.cpp
#include "core/bytes/sha1.h"

#include <openssl/sha.h>

namespace bayswap {

Sha1 sha1(ByteView bytes) {
  Sha1 digest{};
  SHA_CTX state;
  SHA1_Init(&state);
  SHA1_Update(&state, bytes.data(), bytes.size());
  SHA1_Final(reinterpret_cast<unsigned char*>(digest.data()), &state);
  return digest;
}

}  // namespace bayswap
