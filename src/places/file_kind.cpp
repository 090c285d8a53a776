#include "places/file_kind.h"

#include <magic.h>

#include <algorithm>
#include <memory>

#include "core/bytes/text.h"

namespace bayswap {

std::string describe_bytes(ByteView file) {
  using Library = std::unique_ptr<std::remove_pointer_t<magic_t>, decltype(&magic_close)>;
  constexpr int kFlags = MAGIC_NO_CHECK_COMPRESS | MAGIC_NO_CHECK_ELF | MAGIC_NO_CHECK_TOKENS;
  const Library library(magic_open(kFlags), &magic_close);
  if (!library || magic_load(library.get(), nullptr) != 0) return {};
  const char* found = magic_buffer(library.get(), file.data(), file.size());
  if (found == nullptr) return {};
  std::string words = safe_text(found);
  // Details follow.
  words.resize(std::min({words.find(','), words.find(" - "), words.size()}));
  return words == "data" || words == "empty" ? std::string() : words;
}

}  // namespace bayswap
