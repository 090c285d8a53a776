#include "core/bytes/fill.h"

#include <cstring>

namespace bayswap {

bool same_bytes(ByteView a, ByteView b) {
  return a.size() == b.size() && (a.empty() || std::memcmp(a.data(), b.data(), a.size()) == 0);
}

bool is_filled(ByteView data, std::byte value) {
  if (data.empty()) return true;
  return data[0] == value && repeats(data, 1);
}

bool is_erased(ByteView data) {
  return is_filled(data, kErasedZero) || is_filled(data, kErasedOnes);
}

bool repeats(ByteView data, std::size_t period) {
  if (period == 0 || data.size() % period != 0) return false;
  if (data.size() <= period) return true;
  // Comparing the data with itself one period later runs at memcmp speed.
  return std::memcmp(data.data(), data.data() + period, data.size() - period) == 0;
}

bool can_shrink(ByteView data, std::size_t size) {
  if (size >= data.size()) return true;
  return is_erased(data.subspan(size)) || repeats(data, size);
}

std::byte erased_value(ByteView data, std::byte otherwise) {
  if (data.empty() || !is_erased(data)) return otherwise;
  return data[0];
}

}  // namespace bayswap
