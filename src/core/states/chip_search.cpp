#include "core/states/chip_search.h"

#include <fmt/core.h>

#include <algorithm>
#include <array>
#include <string_view>
#include <tuple>

#include "core/bytes/cursor.h"
#include "core/bytes/fill.h"
#include "core/bytes/text.h"
#include "core/states/sections.h"

namespace bayswap {
namespace {

constexpr std::size_t kLeastErased = 16;  // bytes in a row
constexpr unsigned kDeepest = 3;          // sections in sections
constexpr std::size_t kMostSightings = 64;

bool has_any(const std::string& label, std::initializer_list<std::string_view> words) {
  return std::ranges::any_of(
      words, [&](std::string_view word) { return label.find(word) != std::string::npos; });
}

bool is_any(const std::string& label, std::initializer_list<std::string_view> words) {
  return std::ranges::find(words, std::string_view(label)) != words.end();
}

// The ordinary words for a cartridge's save memory.
bool means_save(const std::string& label) {
  const std::string name = lower_ascii(label);
  if (has_any(name, {"vsram", "wsram"})) return false;
  return has_any(name, {"sram", "eeprom", "flash", "save", "batt", "nvram", "nvrm", "backup",
                        "bram", "cartram", "cart_ram", "cart.ram", "cart ram"}) ||
         is_any(name, {"sav", "eep", "eepr", "flas", "flsh", "bat", "nvr", "bkup"});
}

// The ordinary words for the machine's own memory and parts.
bool means_machine(const std::string& label) {
  const std::string name = lower_ascii(label);
  return has_any(name, {"vram", "wram", "oam",  "cpu",   "ppu",   "apu",    "dsp",   "spc",  "gpu",
                        "spu",  "cram", "work", "video", "sound", "audio",  "timer", "hram", "iram",
                        "rom",  "regs", "main", "psg",   "pict",  "screen", "mram",  "proc"}) ||
         is_any(name, {"pal", "chr", "vid", "vide", "snd", "soun", "ram"});
}

// So many bytes of one erased value end here.
std::size_t erased_before(ByteView bytes, std::size_t end, std::byte value) {
  std::size_t count = 0;
  while (count < end && bytes[end - 1 - count] == value) ++count;
  return count;
}

class ChipSearch {
 public:
  ChipSearch(const std::vector<ChipGround>& grounds, const Chip& chip, ByteView rom)
      : grounds_(grounds), size_(static_cast<std::size_t>(chip.size)), rom_(rom) {}

  std::vector<ChipSighting> run() {
    for (std::size_t i = 0; i < grounds_.size(); ++i) {
      const ChipGround& ground = grounds_[i];
      if (!ground.label.empty()) add_labelled(i, 0, ground.bytes.size(), ground.label);
      add_sections(i, ground.bytes, 0, 0);
      add_lone_sections(i);
      add_still_areas(i);
      add_areas_with_words(i);
    }
    for (ChipSighting& sighting : found_) look_closer(sighting);
    for (ChipSighting& sighting : found_) sighting.twins = has_twin(sighting);
    std::ranges::stable_sort(found_, std::greater<>(), [](const ChipSighting& one) {
      return std::tuple(one.sure(), one.called_save, one.ends_known,
                        int{one.erased_behind} + int{one.words_of_game} + int{one.stayed});
    });
    return std::move(found_);
  }

 private:
  [[nodiscard]] ByteView there(const ChipSighting& at) const {
    return grounds_[at.ground].bytes.subspan(at.offset, size_);
  }
  ChipSighting* add(std::size_t ground, std::size_t offset) {
    for (ChipSighting& known : found_)
      if (known.ground == ground && known.offset == offset) return &known;
    if (found_.size() == kMostSightings) return nullptr;
    found_.push_back({ground, offset, {}});
    return &found_.back();
  }

  // As long as the chip; or longer, with nothing in the rest: programs may keep room for the
  // largest chip.
  void add_labelled(std::size_t ground, std::size_t offset, std::size_t size,
                    const std::string& label) {
    if (size < size_) return;
    const ByteView rest = grounds_[ground].bytes.subspan(offset + size_, size - size_);
    if (!rest.empty() && (!means_save(label) || !is_erased(rest))) return;
    ChipSighting* sighting = add(ground, offset);
    if (sighting == nullptr || !sighting->label.empty()) return;
    sighting->label = label;
    sighting->ends_known = true;
    sighting->called_save = means_save(label);
  }

  void add_sections(std::size_t ground, ByteView bytes, std::size_t start, unsigned depth) {
    const auto chain = sections_from_start(bytes);
    if (!chain) return;
    for (const Section& section : chain->sections) {
      if (section.size < size_) continue;
      add_labelled(ground, start + section.offset, section.size, section.tag);
      if (depth < kDeepest)
        add_sections(ground, bytes.subspan(section.offset, section.size), start + section.offset,
                     depth + 1);
    }
  }

  // Names with the chip's size somewhere else. Where a number can be read in several widths, its
  // data may begin at several places: nothing tells which.
  void add_lone_sections(std::size_t ground) {
    const auto chains = sections_of_length(grounds_[ground].bytes, size_);
    for (const SectionChain& chain : chains) {
      const Section& section = chain.sections.front();
      const bool in_doubt = std::ranges::any_of(chains, [&](const SectionChain& other) {
        const std::size_t offset = other.sections.front().offset;
        return offset != section.offset &&
               std::max(offset, section.offset) - std::min(offset, section.offset) < size_;
      });
      if (!in_doubt) add_labelled(ground, section.offset, section.size, section.tag);
    }
  }

  // Areas of just the chip's size that are alike in all states, between bytes that are not.
  void add_still_areas(std::size_t ground) {
    const ByteView bytes = grounds_[ground].bytes;
    const auto& others = grounds_[ground].in_other_states;
    if (others.empty()) return;
    const auto alike = [&](std::size_t at) {
      return std::ranges::all_of(
          others, [&](ByteView other) { return at < other.size() && other[at] == bytes[at]; });
    };
    for (std::size_t at = 0; at < bytes.size();) {
      if (!alike(at)) {
        ++at;
        continue;
      }
      std::size_t end = at;
      while (end < bytes.size() && alike(end)) ++end;
      const bool inside = at > 0 && end < bytes.size();
      if (end - at == size_ && inside)
        if (ChipSighting* sighting = add(ground, at)) sighting->ends_known = true;
      at = end;
    }
  }

  // Areas that end where erased bytes end, and begin with words of the game just a chip before.
  void add_areas_with_words(std::size_t ground) {
    const ByteView bytes = grounds_[ground].bytes;
    for (std::size_t end = size_; end <= bytes.size() && !rom_.empty(); ++end) {
      const std::byte last = bytes[end - 1];
      const bool erased = last == std::byte{0xFF} || last == std::byte{0};
      if (!erased || (end < bytes.size() && bytes[end] == last)) continue;
      if (erased_before(bytes, end, last) < kLeastErased) continue;
      if (!begins_with_words_of(rom_, bytes.subspan(end - size_, size_))) continue;
      ChipSighting* sighting = add(ground, end - size_);
      if (sighting == nullptr) return;
      sighting->ends_known = true;
      sighting->erased_behind = true;
    }
  }

  void look_closer(ChipSighting& sighting) const {
    const ByteView bytes = there(sighting);
    sighting.erased_behind = sighting.erased_behind ||
                             erased_before(bytes, bytes.size(), std::byte{0xFF}) >= kLeastErased;
    sighting.words_of_game = begins_with_words_of(rom_, bytes);
    const auto& others = grounds_[sighting.ground].in_other_states;
    sighting.stayed = !others.empty() && std::ranges::all_of(others, [&](ByteView other) {
      const auto same = slice(other, sighting.offset, size_);
      return same && std::ranges::equal(*same, bytes);
    });
  }

  // Work memory often holds an older copy of a save. Where a beginning stands twice with other
  // bytes behind, either may be the chip.
  [[nodiscard]] bool has_twin(const ChipSighting& sighting) const {
    constexpr std::size_t kBeginning = 8;
    const ByteView own = there(sighting);
    const ByteView start = own.first(std::min(kBeginning, own.size()));
    if (is_erased(start)) return false;
    for (const ChipGround& ground : grounds_) {
      auto at = ground.bytes.begin();
      while ((at = std::search(at, ground.bytes.end(), start.begin(), start.end())) !=
             ground.bytes.end()) {
        const auto offset = static_cast<std::uint64_t>(at - ground.bytes.begin());
        const auto other = slice(ground.bytes, offset, size_);
        if (!other || !std::ranges::equal(*other, own)) return true;
        ++at;
      }
    }
    return false;
  }

  const std::vector<ChipGround>& grounds_;
  std::size_t size_;
  ByteView rom_;
  std::vector<ChipSighting> found_;
};

}  // namespace

bool begins_with_words_of(ByteView rom, ByteView bytes) {
  constexpr std::size_t kLeast = 6;
  constexpr std::size_t kCompared = 8;
  std::size_t length = 0;
  while (length < bytes.size() && length < kCompared && is_printable(bytes.subspan(length, 1)))
    ++length;
  if (length < kLeast) return false;
  const ByteView text = bytes.first(length);
  // A row of blanks or one letter again and again stands in many places.
  const auto differ = std::ranges::count_if(text, [&](std::byte c) { return c != text.front(); });
  return differ >= 3 && std::search(rom.begin(), rom.end(), text.begin(), text.end()) != rom.end();
}

bool ChipSighting::sure() const {
  if (!ends_known) return false;
  if (called_save) return true;
  if (means_machine(label) || twins) return false;
  const int signs = int{erased_behind} + int{words_of_game} + int{stayed};
  return signs >= 2;
}

std::string ChipSighting::evidence(const Chip& chip) const {
  std::string text;
  if (!label.empty())
    text = fmt::format("the state calls it {}, and it is as large as the game's {}",
                       safe_text(label), chip.part);
  else if (ends_known)
    text = fmt::format("it is as large as the game's {}, with other things before and after it",
                       chip.part);
  else
    text = fmt::format("it may be as large as the game's {}", chip.part);
  if (called_save) text += "; that is a name for save memory";
  if (means_machine(label)) text += "; that is a name for the machine's own memory";
  if (stayed) text += "; it is the same in all states";
  if (erased_behind) text += "; its last bytes are erased";
  if (twins) text += "; the same beginning stands elsewhere with other bytes behind it";
  if (words_of_game) text += "; it begins with words of the ROM";
  return text;
}

std::vector<ChipSighting> chips_in(const std::vector<ChipGround>& grounds, const Chip& chip,
                                   ByteView rom) {
  if (chip.size < kLeastErased) return {};
  return ChipSearch(grounds, chip, rom).run();
}

}  // namespace bayswap
