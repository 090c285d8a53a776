// The list of built-in layouts, and the choice among them.
#include <fmt/core.h>

#include <algorithm>
#include <array>

#include "bayswap/layout.h"
#include "core/bytes/text.h"
#include "core/layouts/cartridge/byte_order_evidence.h"
#include "core/layouts/cartridge/chip_layout.h"
#include "core/layouts/cartridge/chip_table.h"
#include "core/layouts/cartridge/gb_clock.h"
#include "core/layouts/cartridge/gb_rtc.h"
#include "core/layouts/cartridge/n64_combined.h"
#include "core/layouts/common/framed.h"
#include "core/layouts/dc/dc_card.h"
#include "core/layouts/dc/dc_single.h"
#include "core/layouts/gc/gc_card.h"
#include "core/layouts/gc/gc_single.h"
#include "core/layouts/n64/n64_pak.h"
#include "core/layouts/n64/n64_pak_note.h"
#include "core/layouts/pce/pce_bram.h"
#include "core/layouts/pce/pce_single.h"
#include "core/layouts/ps1/ps1_card.h"
#include "core/layouts/ps1/ps1_single.h"
#include "core/layouts/ps2/ps2_card.h"
#include "core/layouts/ps2/ps2_single.h"
#include "core/layouts/saturn/saturn_bram.h"
#include "core/layouts/saturn/saturn_single.h"
#include "core/layouts/titles/psp_folder.h"
#include "core/layouts/titles/title_folders.h"
#include "core/layouts/x360/x360_folder.h"
#include "core/layouts/x360/x360_package.h"

namespace bayswap {
namespace {

LayoutRegistry built_in() {
  LayoutRegistry registry;
  const auto add = [&](std::unique_ptr<Layout> layout) { (void)registry.add(std::move(layout)); };
  for (const ChipSpec& spec : chip_table()) add(std::make_unique<ChipLayout>(spec));
  add(std::make_unique<GbClockLayout>(44));
  add(std::make_unique<GbClockLayout>(48));
  add(std::make_unique<GbRtcLayout>());
  add(std::make_unique<N64CombinedLayout>(true));
  add(std::make_unique<N64CombinedLayout>(false));
  add(std::make_unique<Ps1CardLayout>());
  add(std::make_unique<Ps1SingleLayout>(true));
  add(std::make_unique<Ps1SingleLayout>(false));
  add(std::make_unique<Ps2CardLayout>(false));
  add(std::make_unique<Ps2CardLayout>(true));
  add(std::make_unique<Ps2SingleLayout>());
  add(std::make_unique<Ps2FolderLayout>());
  add(std::make_unique<GcCardLayout>());
  add(std::make_unique<GcSingleLayout>());
  add(std::make_unique<N64PakLayout>());
  add(std::make_unique<N64PakNoteLayout>());
  add(std::make_unique<DcCardLayout>());
  add(std::make_unique<DcSingleLayout>());
  add(std::make_unique<SaturnBramLayout>(false));
  add(std::make_unique<SaturnBramLayout>(true));
  add(std::make_unique<SaturnSingleLayout>());
  add(std::make_unique<PceBramLayout>());
  add(std::make_unique<PceSingleLayout>());
  add(std::make_unique<PspFolderLayout>());
  add(std::make_unique<WiiTitleLayout>());
  add(std::make_unique<N3dsTitleLayout>());
  add(std::make_unique<WiiuTitleLayout>());
  add(std::make_unique<X360PackageLayout>());
  add(std::make_unique<X360FolderLayout>());
  return registry;
}

}  // namespace

LayoutRegistry& layouts() {
  static LayoutRegistry registry = built_in();
  return registry;
}

Result<void> LayoutRegistry::add(std::unique_ptr<Layout> layout) {
  const std::string& id = layout->info().id;
  if (find(id) != nullptr)
    return fail(Trouble::usage, Code::name_taken,
                fmt::format("there is a layout '{}' already", id));
  layouts_.push_back(std::move(layout));
  return {};
}

const Layout* LayoutRegistry::find(std::string_view id) const {
  for (const auto& layout : layouts_)
    if (layout->info().id == id) return layout.get();
  return nullptr;
}

Result<const Layout*> find_layout(std::string_view id) {
  if (const Layout* layout = layouts().find(id)) return layout;
  const std::string_view family = id.substr(0, id.find('-'));
  std::vector<std::string> near;
  for (const auto& layout : layouts().all())
    if (layout->info().id.starts_with(family)) near.push_back(layout->info().id);
  return fail(Trouble::usage, Code::unknown_layout,
              fmt::format("there is no layout '{}'", safe_text(id)),
              near.empty() ? Hint{"'", Remedy::list_layouts, "' lists them"}
                           : Hint(fmt::format("for {} there are {}", family, list_text(near))));
}

namespace {

// Whether a chip of the system is found in several byte orders.
bool has_orders(System system) {
  static const std::vector<System> systems = [] {
    std::vector<System> found;
    for (const ChipSpec& spec : chip_table())
      if (!spec.orders.empty()) found.push_back(spec.system);
    return found;
  }();
  return std::ranges::find(systems, system) != systems.end();
}

// What the content says outranks what the size says; then the commoner layout of a family, which is
// registered first.
void add_in_order(Guess guess, std::vector<Guess>& guesses) {
  const auto place = std::ranges::upper_bound(guesses, guess, [](const Guess& a, const Guess& b) {
    return std::pair(a.confidence, a.basis) > std::pair(b.confidence, b.basis);
  });
  guesses.insert(place, std::move(guess));
}

// A card by its structure, in a file that is smaller than such cards can be.
bool is_cut_card(const Guess& guess, std::uint64_t size) {
  return guess.basis == Basis::structure && as_card(guess.layout) != nullptr &&
         std::ranges::any_of(guess.layout->info().file_sizes,
                             [&](std::uint64_t whole) { return whole > size; });
}

}  // namespace

std::vector<Guess> identify(ByteView file, const Hints& hints) {
  std::vector<Guess> guesses;
  if (file.empty()) return guesses;
  constexpr std::size_t kUsual = 16;  // a common size fits about as many layouts
  guesses.reserve(kUsual);
  Hints known = hints;
  constexpr std::size_t kLargestOrdered = 0x20000 + 256;  // no chip with several orders is larger
  // Small chips are EEPROMs, found whole or in reversed 8-byte units; large ones have words
  // swapped.
  constexpr std::size_t kLargestEeprom = 0x2000 + 256;
  constexpr std::array<std::size_t, 2> kEepromUnits{1, 8};
  constexpr std::array<std::size_t, 3> kWordUnits{1, 2, 4};
  if (hints.system && !has_orders(*hints.system))
    known.readable_unit = 0;
  else if (file.size() <= kLargestEeprom)
    known.readable_unit = judge_byte_order(file, hints.words, kEepromUnits).value_or(0);
  else if (file.size() <= kLargestOrdered)
    known.readable_unit = judge_byte_order(file, hints.words, kWordUnits).value_or(0);
  for (const auto& layout : layouts().all())
    if (auto match = layout->recognise(file, known))
      add_in_order({layout.get(), match->confidence, std::move(match->reason), match->basis},
                   guesses);
  const bool proven = !guesses.empty() && guesses.front().basis == Basis::structure &&
                      guesses.front().confidence == Confidence::certain;
  if (!proven)
    if (auto behind = guess_behind_header(file, hints.thorough, hints.system)) {
      // A card that was cut short begins as one all the same, and part of it may look like a
      // smaller one.
      const bool cut = !guesses.empty() && is_cut_card(guesses.front(), file.size()) &&
                       guesses.front().layout->info().system == behind->layout->info().system;
      guesses.insert(guesses.begin() + (cut ? 1 : 0), std::move(*behind));
    }
  return guesses;
}

}  // namespace bayswap
