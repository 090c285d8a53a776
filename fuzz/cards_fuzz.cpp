// Damaged cards: the first byte chooses the layout, the rest are patches of a good card. Mending
// must give a sound card that has every save which could still be read.
#include <cstdlib>
#include <map>

#include "bayswap/card.h"
#include "bayswap/face.h"
#include "support/golden_packages.h"

namespace {

using namespace bayswap;

Save plain_save(const CardLayout& layout, char letter) {
  Save save;
  save.system = layout.info().system;
  save.kind = Kind::card_save;
  save.name = std::string("SLUS-0417") + letter;
  save.game.code = std::string("ABC") + letter;
  save.game.maker = "7Q";
  const std::size_t block = layout.card_info().block_size;
  save.parts.push_back({"data", Bytes(block * 3, static_cast<std::byte>(letter)), false, {}});
  return save;
}

const Bytes& good_card(const CardLayout& layout) {
  static std::map<const CardLayout*, Bytes> cards;
  Bytes& card = cards[&layout];
  if (!card.empty()) return card;
  card = layout.card_info().package ? test::PackageGolden({}, {}).bytes
                                    : *layout.format(layout.card_info().capacities.front());
  for (const char letter : {'E', 'J', 'P', 'K'}) {
    auto changed = layout.change(card, {{}, {plain_save(layout, letter)}});
    if (changed) card = std::move(changed->bytes);
  }
  auto dropped = layout.change(card, {{1}, {}});
  if (dropped) card = std::move(dropped->bytes);
  return card;
}

bool holds(const Card& card, const Save& save) {
  for (const CardSave& on_card : card.saves)
    if (same_card_save(on_card.save, save)) return true;
  return false;
}

}  // namespace

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  static const std::vector<const CardLayout*> all = [] {
    std::vector<const CardLayout*> found;
    for (const auto& layout : layouts().all())
      if (as_card(layout.get()) != nullptr) found.push_back(as_card(layout.get()));
    return found;
  }();
  if (size < 2) return 0;
  // Small cards more often: a large one takes a hundred times as long.
  constexpr std::size_t kSmall = 1U << 20U;
  const CardLayout* chosen = all[data[0] % all.size()];
  if (good_card(*chosen).size() > kSmall && (data[1] & 0x0FU) != 0) chosen = all.front();
  const CardLayout& layout = *chosen;
  Bytes card = good_card(layout);
  // Patches: three bytes of offset, one of length, then the bytes.
  std::size_t at = 1;
  while (at + 4 < size) {
    const std::size_t offset = (data[at] | data[at + 1] << 8U | data[at + 2] << 16U) % card.size();
    const std::size_t length = data[at + 3] % 16 + 1;
    at += 4;
    for (std::size_t i = 0; i < length && at < size && offset + i < card.size(); ++i, ++at)
      card[offset + i] = static_cast<std::byte>(data[at]);
  }
  if ((data[0] & 0x80U) != 0) card.resize(card.size() / 256 * (data[1] + 1U));
  (void)layout.validate(card);
  const auto read = layout.open(card);
  if (read)
    for (const CardSave& on_card : read->saves) (void)face_of(on_card.save);
  const auto mended = mend(layout, card);
  if (!mended) return 0;
  if (!layout.validate(mended->bytes).empty()) std::abort();
  const auto after = layout.open(mended->bytes);
  if (!after) std::abort();
  const auto good = layout.open(good_card(layout));
  if (read && good)
    for (const CardSave& on_card : good->saves)
      for (const CardSave& still : read->saves)
        if (still.findings.empty() && same_card_save(still.save, on_card.save) &&
            !holds(*after, on_card.save))
          std::abort();
  return 0;
}
