#include "layouts/battery/chip_table.h"

#include "bytes/fill.h"

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
  static const std::vector<ChipSpec> table{
      {"snes-battery",
       System::snes,
       "sram",
       A::plain,
       kErasedZero,
       {8_KiB, 2_KiB, 4_KiB, 16_KiB, 32_KiB, 64_KiB, 128_KiB},
       "cartridge RAM"},
      {"gb-battery",
       System::gb,
       "sram",
       A::plain,
       kErasedOnes,
       {8_KiB, 32_KiB, 2_KiB, 64_KiB, 128_KiB, 512, 256},
       "cartridge RAM, without the clock"},
      {"n64-eeprom4k", System::n64, "eeprom", A::plain, kErasedOnes, {512}, "EEPROM of 4 kbit"},
      {"n64-eeprom16k", System::n64, "eeprom", A::plain, kErasedOnes, {2_KiB}, "EEPROM of 16 kbit"},
      {"n64-sram",
       System::n64,
       "sram",
       A::plain,
       kErasedOnes,
       {32_KiB, 96_KiB, 128_KiB},
       "SRAM in the console's byte order",
       true,
       32_KiB},
      {"n64-sram-swap32",
       System::n64,
       "sram",
       A::swap32,
       kErasedOnes,
       {32_KiB, 96_KiB, 128_KiB},
       "SRAM, every 32-bit word reversed",
       true,
       32_KiB},
      {"n64-sram-swap16",
       System::n64,
       "sram",
       A::swap16,
       kErasedOnes,
       {32_KiB, 96_KiB, 128_KiB},
       "SRAM, every 16-bit pair swapped",
       true,
       32_KiB},
      {"n64-flash",
       System::n64,
       "flash",
       A::plain,
       kErasedOnes,
       {128_KiB},
       "flash in the console's byte order",
       true},
      {"n64-flash-swap32",
       System::n64,
       "flash",
       A::swap32,
       kErasedOnes,
       {128_KiB},
       "flash, every 32-bit word reversed",
       true},
      {"n64-flash-swap16",
       System::n64,
       "flash",
       A::swap16,
       kErasedOnes,
       {128_KiB},
       "flash, every 16-bit pair swapped",
       true},
      {"n64-pak", System::n64, "pak1", A::plain, kErasedZero, {32_KiB}, "controller pak"},
  };
  return table;
}

}  // namespace bayswap
