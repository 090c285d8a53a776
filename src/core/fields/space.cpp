#include "core/fields/space.h"

#include <algorithm>

#include "core/fields/bits.h"

namespace bayswap::fields {
namespace {

// XOR is its own way back.
void apply_mask(Bytes& bytes, std::uint64_t mask, unsigned width, std::endian order) {
  if (width == 0) return;
  Bytes unit(width);
  store_number(unit, mask, order);
  for (std::size_t i = 0; i < bytes.size(); ++i) bytes[i] ^= unit[i % width];
}

std::ptrdiff_t offset(std::uint64_t at) {
  return static_cast<std::ptrdiff_t>(at);
}

}  // namespace

void Space::read() {
  Bytes joined;
  for (const Piece& piece : pieces)
    joined.insert(joined.end(), parent->bytes.begin() + offset(piece.at),
                  parent->bytes.begin() + offset(piece.at + piece.size));
  bytes = joined;
  for (std::size_t place = 0; place < order.size(); ++place)
    std::copy_n(joined.begin() + offset(place * block), block,
                bytes.begin() + offset(order[place] * block));
  apply_mask(bytes, mask, mask_bytes, mask_order);
}

Bytes Space::stored() const {
  Bytes unmasked = bytes;
  apply_mask(unmasked, mask, mask_bytes, mask_order);
  Bytes out = unmasked;
  for (std::size_t place = 0; place < order.size(); ++place)
    std::copy_n(unmasked.begin() + offset(order[place] * block), block,
                out.begin() + offset(place * block));
  return out;
}

void Space::write(std::uint64_t at, ByteView content) {
  std::ranges::copy(content, bytes.begin() + offset(at));
  if (!parent) return;
  const Bytes out = stored();
  std::uint64_t from = 0;
  for (const Piece& piece : pieces) {
    parent->write(piece.at, ByteView(out).subspan(from, piece.size));
    from += piece.size;
  }
}

}  // namespace bayswap::fields
