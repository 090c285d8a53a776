#include "core/layouts/cartridge/chip_table.h"

#include "core/bytes/fill.h"

namespace bayswap {
namespace {

constexpr std::uint64_t operator""_KiB(unsigned long long n) {
  return n * 1024;
}
constexpr std::uint64_t operator""_MiB(unsigned long long n) {
  return n * 1024 * 1024;
}

using A = Arrangement;

}  // namespace

// The order within a size is the order of likelihood where nothing else tells.
const std::vector<ChipSpec>& chip_table() {
  // Here, and not beside it: a program's static initialisers may be the first to ask.
  static const std::vector<std::size_t> kN64Orders{1, 2, 4};
  static const std::vector<std::size_t> kGbaOrders{1, 8};
  // clang-format off
  static const std::vector<ChipSpec> table{
      {"snes-battery", System::snes, "sram", A::plain, kErasedZero,
       {8_KiB, 2_KiB, 4_KiB, 16_KiB, 32_KiB, 64_KiB, 128_KiB}, "cartridge RAM", {}, 0},
      {"gb-battery", System::gb, "sram", A::plain, kErasedOnes,
       {8_KiB, 32_KiB, 2_KiB, 64_KiB, 128_KiB, 512, 256}, "cartridge RAM, without the clock", {}, 0},
      {"gb-battery-nibbles", System::gb, "sram", A::nibbles, kErasedOnes,
       {512}, "the 512 cells of a 4-bit chip, two in a byte", {}, 0},
      {"nes-battery", System::nes, "sram", A::plain, kErasedZero,
       {8_KiB, 512, 1_KiB, 2_KiB, 4_KiB, 16_KiB, 32_KiB}, "cartridge RAM", {}, 8_KiB},
      {"gba-sram", System::gba, "sram", A::plain, kErasedOnes,
       {32_KiB}, "SRAM", {}, 0},
      {"gba-flash64", System::gba, "flash", A::plain, kErasedOnes,
       {64_KiB}, "flash of 512 kbit", {}, 0},
      {"gba-flash128", System::gba, "flash", A::plain, kErasedOnes,
       {128_KiB}, "flash of 1 Mbit", {}, 0},
      {"gba-eeprom512", System::gba, "eeprom", A::plain, kErasedOnes,
       {512}, "EEPROM of 4 kbit", kGbaOrders, 0},
      {"gba-eeprom512-reversed", System::gba, "eeprom", A::reverse8, kErasedOnes,
       {512}, "EEPROM of 4 kbit, every 8-byte unit reversed", kGbaOrders, 0},
      {"gba-eeprom8k", System::gba, "eeprom", A::plain, kErasedOnes,
       {8_KiB}, "EEPROM of 64 kbit", kGbaOrders, 0},
      {"gba-eeprom8k-reversed", System::gba, "eeprom", A::reverse8, kErasedOnes,
       {8_KiB}, "EEPROM of 64 kbit, every 8-byte unit reversed", kGbaOrders, 0},
      {"n64-eeprom4k", System::n64, "eeprom", A::plain, kErasedOnes,
       {512}, "EEPROM of 4 kbit", {}, 0},
      {"n64-eeprom16k", System::n64, "eeprom", A::plain, kErasedOnes,
       {2_KiB}, "EEPROM of 16 kbit", {}, 0},
      {"n64-sram", System::n64, "sram", A::plain, kErasedOnes,
       {32_KiB, 96_KiB, 128_KiB}, "SRAM in the console's byte order", kN64Orders, 32_KiB},
      {"n64-sram-swap32", System::n64, "sram", A::swap32, kErasedOnes,
       {32_KiB, 96_KiB, 128_KiB}, "SRAM, every 32-bit word reversed", kN64Orders, 32_KiB},
      {"n64-sram-swap16", System::n64, "sram", A::swap16, kErasedOnes,
       {32_KiB, 96_KiB, 128_KiB}, "SRAM, every 16-bit pair swapped", kN64Orders, 32_KiB},
      {"n64-flash", System::n64, "flash", A::plain, kErasedOnes,
       {128_KiB}, "flash in the console's byte order", kN64Orders, 0},
      {"n64-flash-swap32", System::n64, "flash", A::swap32, kErasedOnes,
       {128_KiB}, "flash, every 32-bit word reversed", kN64Orders, 0},
      {"n64-flash-swap16", System::n64, "flash", A::swap16, kErasedOnes,
       {128_KiB}, "flash, every 16-bit pair swapped", kN64Orders, 0},
      {"nds-battery", System::nds, "sram", A::plain, kErasedOnes,
       {512_KiB, 256_KiB, 64_KiB, 8_KiB, 512, 32_KiB, 128_KiB, 1_MiB, 2_MiB, 4_MiB, 8_MiB}, "EEPROM, FRAM or flash of a card", {}, 0},
      {"md-battery-odd", System::md, "sram", A::odd, kErasedOnes,
       {8_KiB, 16_KiB, 32_KiB, 64_KiB}, "cartridge RAM at odd offsets, filler at even ones", {}, 0},
      {"md-battery-even", System::md, "sram", A::even, kErasedOnes,
       {8_KiB, 16_KiB, 32_KiB, 64_KiB}, "cartridge RAM at even offsets, filler at odd ones", {}, 0},
      {"md-battery", System::md, "sram", A::plain, kErasedOnes,
       {8_KiB, 16_KiB, 32_KiB, 64_KiB}, "cartridge RAM, packed; 16-bit boards too", {}, 0},
      {"sms-battery", System::sms, "sram", A::plain, kErasedZero,
       {8_KiB, 16_KiB, 32_KiB}, "cartridge RAM", {}, 0},
      {"segacd-bram-odd", System::segacd, "sram", A::odd, kErasedZero,
       {8_KiB, 16_KiB, 32_KiB, 64_KiB, 128_KiB, 256_KiB, 512_KiB}, "backup memory at odd offsets", {}, 0},
      {"segacd-bram", System::segacd, "sram", A::plain, kErasedZero,
       {8_KiB, 16_KiB, 32_KiB, 64_KiB, 128_KiB, 256_KiB, 512_KiB}, "backup memory, whole", {}, 0},
  };
  // clang-format on
  return table;
}

}  // namespace bayswap
