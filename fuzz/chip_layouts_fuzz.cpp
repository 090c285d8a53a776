// Every layout of chips on any bytes: the first byte chooses the layout. What was read must write
// back.
#include <cstdlib>

#include "bayswap/layout.h"

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  using namespace bayswap;
  if (size < 2) return 0;
  const auto& all = layouts().all();
  const Layout& layout = *all[data[0] % all.size()];
  if (layout.info().kind != Kind::battery) return 0;
  Hints hints;
  if ((data[1] & 1U) != 0) hints.system = layout.info().system;
  if ((data[1] & 2U) != 0)
    hints.chips =
        std::vector<Chip>{{layout.info().parts.front(), std::uint64_t{64} << (data[1] >> 4U)}};
  // Sizes matter more than bytes, so one byte stretches the rest to a size of the layout.
  Bytes file;
  for (std::size_t i = 2; i < size; ++i) file.push_back(static_cast<std::byte>(data[i]));
  const auto& sizes = layout.info().file_sizes;
  if ((data[1] & 4U) != 0 && !sizes.empty() && sizes.front() < (1U << 19U)) {
    const Bytes tail = file;
    file.resize(static_cast<std::size_t>(sizes.front()), static_cast<std::byte>(data[1]));
    if ((data[1] & 8U) != 0 && tail.size() < 256) file.insert(file.end(), tail.begin(), tail.end());
  }
  (void)identify(file, hints);
  const auto content = layout.read(file, hints);
  if (!content || content->saves.empty()) return 0;
  const auto back = imitate(layout, {content->saves, ByteView(file), hints});
  if (back && back->losses.empty() && back->bytes != file) std::abort();
  (void)layout.write({content->saves, std::nullopt, hints});
  return 0;
}
