// Single saves of cards on any bytes: the first byte chooses the layout.
#include <cstdlib>

#include "bayswap/card.h"
#include "bayswap/face.h"
#include "bayswap/folder.h"

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  using namespace bayswap;
  if (size < 3) return 0;
  std::vector<const Layout*> singles;
  for (const auto& layout : layouts().all())
    if (layout->info().kind == Kind::card_save && as_card(layout.get()) == nullptr &&
        as_folder(layout.get()) == nullptr)
      singles.push_back(layout.get());
  const Layout& layout = *singles[data[0] % singles.size()];
  Bytes file;
  for (std::size_t i = 2; i < size; ++i) file.push_back(static_cast<std::byte>(data[i]));
  // Whole blocks behind a record of any length.
  if ((data[1] & 1U) != 0) file.resize(file.size() + (data[1] >> 4U) * 8192, std::byte{data[1]});
  if ((data[1] & 2U) != 0)
    file.resize((file.size() + 8191) / 8192 * 8192 + ((data[1] & 4U) != 0 ? 128 : 64));
  (void)identify(file, {});
  const auto content = layout.read(file, {});
  if (!content || content->saves.empty()) return 0;
  (void)face_of(content->saves.front());
  const auto back = layout.write({content->saves, ByteView(file), {}});
  if (back && content->findings.empty() && back->losses.empty() &&
      back->bytes.size() != file.size())
    std::abort();
  return 0;
}
