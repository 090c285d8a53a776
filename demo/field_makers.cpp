#include "demo/field_makers.h"

#include <algorithm>
#include <array>
#include <cstdint>
#include <utility>

#include "demo/makers.h"

namespace bayswap::demo {
namespace {

class Page {
 public:
  Page(std::size_t size, std::byte fill) : bytes_(size, fill) {}
  explicit Page(Bytes bytes) : bytes_(std::move(bytes)) {}
  Page& text(std::size_t at, std::string_view text, std::size_t length = 0) {
    for (std::size_t i = 0; i < std::max(length, text.size()); ++i)
      bytes_[at + i] = i < text.size() ? static_cast<std::byte>(text[i]) : std::byte{};
    return *this;
  }
  Page& little(std::size_t at, std::uint64_t value, std::size_t width) {
    for (std::size_t i = 0; i < width; ++i)
      bytes_[at + i] = static_cast<std::byte>(value >> (8 * i));
    return *this;
  }
  Page& big(std::size_t at, std::uint64_t value, std::size_t width) {
    for (std::size_t i = 0; i < width; ++i)
      bytes_[at + i] = static_cast<std::byte>(value >> (8 * (width - 1 - i)));
    return *this;
  }
  Page& raw(std::size_t at, std::span<const std::byte> bytes) {
    std::ranges::copy(bytes, bytes_.begin() + static_cast<std::ptrdiff_t>(at));
    return *this;
  }
  [[nodiscard]] std::uint32_t sum(std::size_t at, std::size_t size) const {
    std::uint32_t sum = 0;
    for (std::size_t i = 0; i < size; ++i) sum += std::to_integer<std::uint32_t>(bytes_[at + i]);
    return sum;
  }
  [[nodiscard]] const Bytes& bytes() const { return bytes_; }

 private:
  Bytes bytes_;
};

constexpr std::string_view kOrchardMap =
    R"map(# Tin Orchard: the book that the keeper writes each evening.
bayswap = "field map"
version = 1
name = "Tin Orchard, the orchard book"
order = "big"

[fits]
system = "gb"
titles = ["Tin Orchard"]
sizes = [8192]
marks = [{ at = 0, text = "ORCHARD BOOK" }]

[enum.weather]
0 = "clear"
1 = "drizzle"
2 = "storm"

[enum.kind]
0 = "bare"
1 = "apple"
2 = "pear"
3 = "quince"

[table.wages]
values = [0, 5, 10, 25, 40]

[struct.tree]
size = 4
[[struct.tree.field]]
name = "kind"
at = 0
type = "u8"
enum = "kind"
[[struct.tree.field]]
name = "age"
at = 1
type = "u8"
unit = "years"
[[struct.tree.field]]
name = "fruit"
at = 2
type = "u16"
[[struct.tree.rule]]
name = "bare trees"
text = "a bare tree has no fruit, and a tree at most 60 for each of its years"
must = "fruit <= age * 60 and (kind != kind.bare or fruit == 0)"

[struct.picker]
size = 10
[[struct.picker.field]]
name = "name"
at = 0
type = "text"
length = 8
[[struct.picker.field]]
name = "wage"
at = 8
type = "u16"
unit = "coins"
[[struct.picker.rule]]
name = "pay list"
text = "a wage is on the pay list: 0, 5, 10, 25 or 40"
must = "wage in wages"

[[field]]
name = "day"
label = "day of the year"
at = 0x20
type = "u16"
range = [1, 360]
[[field]]
name = "weather"
at = 0x22
type = "u8"
enum = "weather"
[[field]]
name = "oil"
label = "lamp oil"
at = 0x23
type = "u8"
unit = "l"
divide = 2
[[field]]
name = "baskets"
at = 0x24
type = "u16"
range = [0, 999]
[[field]]
name = "chest"
at = 0x26
type = "u16"
unit = "coins"
[[field]]
name = "pickers"
at = 0x40
type = "picker"
count = 3
[[field]]
name = "trees"
at = 0x80
type = "tree"
count = 12

[[rule]]
name = "pay day"
text = "all wages together are in the chest"
must = "sum(pickers[*].wage) <= chest"

# The second checksum covers the first, the third both.
[[checksum]]
name = "people"
at = 0x10
type = "u16"
kind = "sum"
over = [{ at = 0x20, size = 0x60 }]
[[checksum]]
name = "trees_and_people"
at = 0x12
type = "u16"
kind = "sum"
over = [{ at = 0x10, size = 2 }, { field = "trees" }]
[[checksum]]
name = "turned"
at = 0x14
type = "u16"
kind = "sum"
complement = "ones"
over = [{ at = 0x10, size = 4 }]
)map";

constexpr std::string_view kMotorMap =
    R"map(# Moss & Motor: each evening goes into the next copy, and its sectors stand one further.
bayswap = "field map"
version = 1
name = "Moss & Motor, the garage log"

[fits]
system = "gba"
titles = ["Moss & Motor"]
sizes = [65536]

[copies]
at = [0, 0x8000]
size = 0x8000
counter = "sectors[*].turn"
write = "next"
[copies.sectors]
count = 4
size = 0x2000
id_at = 0

[struct.sector]
size = 0x2000
[[struct.sector.field]]
name = "turn"
at = 4
type = "u32"
[[struct.sector.checksum]]
name = "own"
at = 2
type = "u16"
kind = "crc"
polynomial = 0x1021
start = 0xFFFF
over = [{ at = 4, size = 0x1FFC }]

[[field]]
name = "garage"
at = 0x10
type = "text"
length = 12
[[field]]
name = "moss"
label = "moss in the tank"
at = 0x20
type = "u16"
unit = "l"
divide = 10
range = [0, 5000]
[[field]]
name = "played"
at = 0x24
type = "u32"
span = { per_second = 60 }
[[field]]
name = "parts"
at = 0x2010
type = "u16"
flags = { 0 = "carburettor", 1 = "belt", 2 = "lamp", 9 = "horn" }
[[field]]
name = "sectors"
at = 0
type = "sector"
count = 4
)map";

constexpr std::string_view kDriftMap =
    R"map(# Lantern Drift: who travels along is locked with a key of their own.
bayswap = "field map"
version = 1
name = "Lantern Drift, the party"

[fits]
system = "snes"
titles = ["Lantern Drift"]
sizes = [8192]
marks = [{ at = 0, text = "DRIFT" }]

[struct.traveller]
size = 38
[[struct.traveller.field]]
name = "key"
at = 0
type = "u32"
[[struct.traveller.section]]
name = "locked"
at = 6
size = 32
block = 8
permute = 4
choose = "key % 24"
mask = "key"
mask_bits = 32
[[struct.traveller.field]]
name = "name"
in = "locked"
at = 0
type = "text"
length = 8
[[struct.traveller.field]]
name = "strength"
in = "locked"
at = 8
type = "u8"
range = [1, 50]
[[struct.traveller.field]]
name = "lanterns"
in = "locked"
at = 16
type = "u16"
range = [0, 99]
[[struct.traveller.field]]
name = "home"
in = "locked"
at = 24
type = "u8"
refers = "harbours"
[[struct.traveller.checksum]]
name = "own"
at = 4
type = "u16"
kind = "sum"
unit = 16
over = [{ in = "locked", at = 0, size = 32 }]

[[field]]
name = "harbours"
at = 0x10
type = "text"
length = 8
count = 4
[[field]]
name = "party"
at = 0x40
type = "traveller"
count = 4
)map";

constexpr std::string_view kAtlasMap =
    R"map(# Ember Atlas: letters of its own, and numbers as digits.
bayswap = "field map"
version = 1
name = "Ember Atlas, the page"

[fits]
system = "nes"
titles = ["Ember Atlas"]
sizes = [8192]

[[text.own.run]]
at = 0x0A
letters = "ABCDEFGHIJKLMNOPQRSTUVWXYZ"
[[text.own.run]]
at = 0x00
letters = "0123456789"
[text.own.letters]
" " = 0x40

[[field]]
name = "scout"
at = 0x10
type = "text"
length = 8
encoding = "own"
fill = 0x40
[[field]]
name = "embers"
at = 0x18
type = "bcd6"
order = "big"
[[field]]
name = "row"
at = 0x1C
type = "u4"
[[field]]
name = "column"
at = 0x1C
type = "u4"
bit = 4
[[field]]
name = "begun"
at = 0x20
type = "u16"
time = { since = "1990-01-01", unit = "days" }
[[checksum]]
name = "page"
at = 0x0F
type = "u8"
kind = "xor"
over = [{ at = 0x10, size = 0x30 }]
)map";

// CRC-16 with the polynomial 1021, from FFFF.
std::uint16_t crc16(std::span<const std::byte> bytes) {
  std::uint32_t crc = 0xFFFF;
  for (const std::byte byte : bytes) {
    crc ^= std::to_integer<std::uint32_t>(byte) << 8U;
    for (int bit = 0; bit < 8; ++bit)
      crc = (crc & 0x8000U) != 0 ? (crc << 1U ^ 0x1021U) & 0xFFFFU : crc << 1U & 0xFFFFU;
  }
  return static_cast<std::uint16_t>(crc);
}

// One of the four sectors, as it is written in a turn.
Page motor_sector(unsigned id, std::uint32_t turn) {
  Page sector(0x2000, kZero);
  sector.little(0, id, 2).little(4, turn, 4);
  if (id == 0)
    sector.text(0x10, "Fern Lane", 12).little(0x20, 125 + turn, 2).little(0x24, 60ULL * 3725, 4);
  if (id == 1) sector.little(0x10, 0x203, 2);
  for (std::size_t at = 0x100; at < 0x1800; ++at) sector.little(at, (at * 7 + id * 31) % 199, 1);
  sector.little(2, crc16(std::span(sector.bytes()).subspan(4)), 2);
  return sector;
}

struct Traveller {
  std::string_view name;
  unsigned strength;
  unsigned lanterns;
  unsigned home;
  std::uint32_t key;
};

// Blocks of 8 bytes in the order that the key chooses, then masked with it.
Page traveller_page(const Traveller& who) {
  Page open(32, kZero);
  open.text(0, who.name, 8)
      .little(8, who.strength, 1)
      .little(16, who.lanterns, 2)
      .little(24, who.home, 1);
  std::array<std::size_t, 4> order{0, 1, 2, 3};
  for (std::uint32_t i = 0; i < who.key % 24; ++i)
    std::next_permutation(order.begin(), order.end());
  Page page(38, kZero);
  std::uint32_t sum = 0;
  for (std::size_t i = 0; i < 32; i += 2)
    sum += std::to_integer<std::uint32_t>(open.bytes()[i]) +
           std::to_integer<std::uint32_t>(open.bytes()[i + 1]) * 256;
  page.little(0, who.key, 4).little(4, sum & 0xFFFFU, 2);
  for (std::size_t place = 0; place < 4; ++place)
    for (std::size_t i = 0; i < 8; ++i) {
      const auto byte = std::to_integer<std::uint32_t>(open.bytes()[order[place] * 8 + i]);
      page.little(6 + place * 8 + i, byte ^ (who.key >> (8 * (i % 4)) & 0xFFU), 1);
    }
  return page;
}

}  // namespace

Bytes orchard_book() {
  struct Tree {
    unsigned kind;
    unsigned age;
    unsigned fruit;
  };
  constexpr std::array<Tree, 12> kTrees{{{1, 9, 240},
                                         {1, 7, 180},
                                         {2, 4, 96},
                                         {0, 1, 0},
                                         {3, 12, 310},
                                         {2, 6, 150},
                                         {1, 3, 66},
                                         {1, 11, 402},
                                         {0, 0, 0},
                                         {3, 2, 20},
                                         {2, 8, 221},
                                         {1, 5, 133}}};
  Page book(0x2000, kOnes);
  book.text(0, "ORCHARD BOOK", 16).text(0x20, "", 0x90);
  book.big(0x20, 143, 2).big(0x22, 1, 1).big(0x23, 14, 1).big(0x24, 41, 2).big(0x26, 60, 2);
  book.text(0x40, "Ilse", 8)
      .big(0x48, 25, 2)
      .text(0x4A, "Marlow", 8)
      .big(0x52, 10, 2)
      .text(0x54, "Ode", 8)
      .big(0x5C, 5, 2);
  for (std::size_t i = 0; i < kTrees.size(); ++i)
    book.big(0x80 + i * 4, kTrees[i].kind, 1)
        .big(0x81 + i * 4, kTrees[i].age, 1)
        .big(0x82 + i * 4, kTrees[i].fruit, 2);
  book.text(0x10, "", 16);
  Bytes bytes = book.bytes();
  make_orchard_sums(bytes);
  return bytes;
}

void make_orchard_sums(Bytes& bytes) {
  Page book(bytes);
  book.big(0x10, book.sum(0x20, 0x60), 2);
  book.big(0x12, book.sum(0x10, 2) + book.sum(0x80, 48), 2);
  book.big(0x14, ~static_cast<std::uint64_t>(book.sum(0x10, 4)), 2);
  bytes = book.bytes();
}

Bytes motor_log() {
  Page log(0x10000, kOnes);
  for (std::uint32_t copy = 0; copy < 2; ++copy) {
    const std::uint32_t turn = 18 + copy;
    for (unsigned id = 0; id < 4; ++id)
      log.raw(copy * 0x8000U + (id + turn) % 4 * 0x2000U, motor_sector(id, turn).bytes());
  }
  return log.bytes();
}

Bytes drift_party() {
  constexpr std::array<Traveller, 4> kParty{{{"Ansel", 12, 3, 0, 0x5A17C3D1},
                                             {"Bryony", 31, 0, 2, 0x00000017},
                                             {"Corin", 8, 44, 1, 0xC0FFEE05},
                                             {"Dagny", 50, 99, 3, 0x91E5A2B4}}};
  Page party(0x2000, kZero);
  party.text(0, "DRIFT", 16);
  constexpr std::array<std::string_view, 4> kHarbours{"Wick", "Sandle", "Oxmoor", "Tern"};
  for (std::size_t i = 0; i < kHarbours.size(); ++i) party.text(0x10 + i * 8, kHarbours[i], 8);
  for (std::size_t i = 0; i < kParty.size(); ++i)
    party.raw(0x40 + i * 38, traveller_page(kParty[i]).bytes());
  return party.bytes();
}

Bytes atlas_page() {
  Page page(0x2000, kOnes);
  page.text(0, "", 0x40);
  constexpr std::string_view kScout = "TOVE    ";
  for (std::size_t i = 0; i < kScout.size(); ++i)
    page.little(0x10 + i, kScout[i] == ' ' ? 0x40U : static_cast<unsigned>(kScout[i] - 'A') + 0x0AU,
                1);
  page.big(0x18, 0x004175, 3).little(0x1C, 0x93, 1).little(0x20, 1279, 2);
  std::uint32_t all = 0;
  for (std::size_t at = 0x10; at < 0x40; ++at)
    all ^= std::to_integer<std::uint32_t>(page.bytes()[at]);
  page.little(0x0F, all, 1);
  return page.bytes();
}

std::vector<NamedMap> field_maps() {
  return {{"tin-orchard.toml", kOrchardMap},
          {"moss-and-motor.toml", kMotorMap},
          {"lantern-drift.toml", kDriftMap},
          {"ember-atlas.toml", kAtlasMap}};
}

}  // namespace bayswap::demo
