#include "core/ordinary/ordinary_file.h"

#include <algorithm>
#include <array>
#include <cstdint>
#include <string_view>

#include "core/bytes/cursor.h"
#include "core/bytes/text.h"
#include "core/ordinary/plain_text.h"

namespace bayswap {
namespace {

using namespace std::string_view_literals;

struct Mark {
  std::size_t at;
  std::string_view bytes;
  std::string_view words;
};

// Marks of four bytes or more, by the published descriptions of the formats.
constexpr std::array kMarks{
    // pictures
    Mark{0, "\x89PNG\r\n\x1A\n"sv, "a PNG picture"},
    Mark{0, "\xFF\xD8\xFF\xE0"sv, "a JPEG picture"},
    Mark{0, "\xFF\xD8\xFF\xE1"sv, "a JPEG picture"},
    Mark{0, "\xFF\xD8\xFF\xE2"sv, "a JPEG picture"},
    Mark{0, "\xFF\xD8\xFF\xED"sv, "a JPEG picture"},
    Mark{0, "\xFF\xD8\xFF\xEE"sv, "a JPEG picture"},
    Mark{0, "\xFF\xD8\xFF\xDB"sv, "a JPEG picture"},
    Mark{0, "\xFF\xD8\xFF\xFE"sv, "a JPEG picture"},
    Mark{0, "GIF87a"sv, "a GIF picture"},
    Mark{0, "GIF89a"sv, "a GIF picture"},
    Mark{0, "II*\0"sv, "a TIFF picture"},
    Mark{0, "MM\0*"sv, "a TIFF picture"},
    Mark{8, "WEBP"sv, "a WebP picture"},
    Mark{0, "8BPS"sv, "a layered picture"},
    Mark{0, "gimp xcf"sv, "a layered picture"},
    Mark{0, "\0\0\0\x0CjP  "sv, "a JPEG 2000 picture"},
    Mark{0, "qoif"sv, "a QOI picture"},
    Mark{0, "DDS "sv, "a texture"},
    Mark{0, "\xABKTX"sv, "a texture"},
    Mark{0, "\x76\x2F\x31\x01"sv, "an EXR picture"},
    // sound and video
    Mark{0, "OggS"sv, "Ogg sound or video"},
    Mark{0, "ID3\x02"sv, "MP3 sound"},
    Mark{0, "ID3\x03"sv, "MP3 sound"},
    Mark{0, "ID3\x04"sv, "MP3 sound"},
    Mark{0, "fLaC"sv, "FLAC sound"},
    Mark{0, "MThd"sv, "MIDI music"},
    Mark{0, ".snd"sv, "AU sound"},
    Mark{0, "FORM"sv, "an IFF file"},
    Mark{8, "WAVE"sv, "WAV sound"},
    Mark{8, "AVI "sv, "AVI video"},
    Mark{0, "RIFF"sv, "a RIFF file"},
    Mark{4, "ftyp"sv, "MP4 video or sound"},
    Mark{4, "moov"sv, "QuickTime video"},
    Mark{0, "\x1A\x45\xDF\xA3"sv, "Matroska or WebM video"},
    Mark{0, "FLV\x01"sv, "Flash video"},
    Mark{0, "\x30\x26\xB2\x75\x8E\x66\xCF\x11"sv, "ASF sound or video"},
    Mark{0, "\0\0\x01\xBA"sv, "MPEG video"},
    Mark{0, "\0\0\x01\xB3"sv, "MPEG video"},
    // fonts
    Mark{0, "OTTO"sv, "a font"},
    Mark{0, "ttcf"sv, "a font"},
    Mark{0, "wOFF"sv, "a font"},
    Mark{0, "wOF2"sv, "a font"},
    Mark{0,
         "\x01"
         "fcp"sv,
         "a font"},
    // documents
    Mark{0, "%PDF-"sv, "a PDF document"},
    Mark{0, "%!PS"sv, "a PostScript document"},
    Mark{0, "\xD0\xCF\x11\xE0\xA1\xB1\x1A\xE1"sv, "an office document"},
    Mark{0, "{\\rtf"sv, "an RTF document"},
    Mark{60, "BOOKMOBI"sv, "an e-book"},
    Mark{0, "AT&TFORM"sv, "a DjVu document"},
    // programs and bytecode
    Mark{0,
         "\x7F"
         "ELF"sv,
         "a program or library (ELF)"},
    Mark{0, "\xCA\xFE\xBA\xBE"sv, "a program (Java class or Mach-O)"},
    Mark{0, "\xFE\xED\xFA\xCE"sv, "a program (Mach-O)"},
    Mark{0, "\xFE\xED\xFA\xCF"sv, "a program (Mach-O)"},
    Mark{0, "\xCE\xFA\xED\xFE"sv, "a program (Mach-O)"},
    Mark{0, "\xCF\xFA\xED\xFE"sv, "a program (Mach-O)"},
    Mark{0, "\0asm"sv, "a WebAssembly program"},
    Mark{0, "dex\n"sv, "a program (Dalvik)"},
    Mark{0, "\x1BLua"sv, "Lua bytecode"},
    Mark{0, "\x1BLJ\x02"sv, "Lua bytecode"},
    Mark{0, ";ELC"sv, "Lisp bytecode"},
    Mark{0, "BC\xC0\xDE"sv, "LLVM bytecode"},
    Mark{0, "\x03\x02\x23\x07"sv, "a shader (SPIR-V)"},
    Mark{0, "DXBC"sv, "a shader"},
    Mark{0, "!<arch>\n"sv, "a static library or package (ar)"},
    Mark{0, "!<thin>\n"sv, "a static library (ar)"},
    Mark{0, "\xDE\x12\x04\x95"sv, "translated texts (gettext)"},
    Mark{0, "\x95\x04\x12\xDE"sv, "translated texts (gettext)"},
    Mark{0, "GOBJ\nMETADATA\r\n\x1A"sv, "a type library"},
    Mark{0, "gpch"sv, "a precompiled header"},
    // archives and compression
    Mark{0, "PK\x03\x04"sv, "a zip archive"},
    Mark{0, "PK\x05\x06"sv, "an empty zip archive"},
    Mark{0, "\x1F\x8B\x08"sv, "gzip data"},
    Mark{0,
         "\xFD"
         "7zXZ\0"sv,
         "xz data"},
    Mark{0, "\x28\xB5\x2F\xFD"sv, "zstd data"},
    Mark{0, "\x04\x22\x4D\x18"sv, "lz4 data"},
    Mark{0, "LZIP"sv, "lzip data"},
    Mark{0, "7z\xBC\xAF\x27\x1C"sv, "a 7z archive"},
    Mark{0, "Rar!\x1A\x07"sv, "a rar archive"},
    Mark{0, "MSCF\0\0\0\0"sv, "a cab archive"},
    Mark{257, "ustar"sv, "a tar archive"},
    Mark{0, "070701"sv, "a cpio archive"},
    Mark{0, "070707"sv, "a cpio archive"},
    Mark{0, "\xED\xAB\xEE\xDB"sv, "a software package (rpm)"},
    Mark{0, "hsqs"sv, "a file system image"},
    Mark{0x8001, "CD001"sv, "a disc image"},
    // databases and indexes
    Mark{0, "SQLite format 3\0"sv, "an SQLite database"},
    Mark{12, "\x61\x15\x06\0"sv, "a Berkeley database"},
    Mark{12, "\0\x06\x15\x61"sv, "a Berkeley database"},
    Mark{12, "\x62\x31\x05\0"sv, "a Berkeley database"},
    Mark{12, "\0\x05\x31\x62"sv, "a Berkeley database"},
    Mark{0, "\xCE\x9A\x57\x13"sv, "a gdbm database"},
    Mark{0, "\xCF\x9A\x57\x13"sv, "a gdbm database"},
    Mark{16, "\xDE\xC0\xEF\xBE"sv, "an LMDB database"},
    Mark{0, "TDB file\n"sv, "a tdb database"},
    Mark{0, "PACK\0\0\0\x02"sv, "a git pack"},
    Mark{0, "DIRC\0\0\0"sv, "a git index"},
    Mark{0, "\xFFtOc"sv, "a git pack index"},
    Mark{0, "TZif"sv, "time zone data"},
    Mark{0, "\x1C\x04\x1E\xF1"sv, "a magic number database"},
    Mark{0, "\xF1\x1E\x04\x1C"sv, "a magic number database"},
    Mark{0, "KSLPHHRH"sv, "a hardware database"},
    Mark{0, "GVariant"sv, "a settings database"},
    Mark{0, "LPKSHHRH"sv, "a system journal"},
    Mark{0, "PERFILE2"sv, "a performance recording"},
    Mark{0, "\xD4\xC3\xB2\xA1"sv, "a network recording"},
    Mark{0, "\x89HDF\r\n\x1A\n"sv, "an HDF5 data file"},
    Mark{0, "\x93NUMPY"sv, "an array of numbers"},
    Mark{0, "\xAC\xED\0\x05"sv, "Java objects"},
    Mark{0, "pst0"sv, "Perl data"},
    Mark{36, "acsp"sv, "a colour profile"},
    Mark{0, "GRUB"sv, "a boot file"},
    // patches of ROMs
    Mark{0, "PATCH"sv, "a ROM patch"},
    Mark{0, "BPS1"sv, "a ROM patch"},
    Mark{0, "UPS1"sv, "a ROM patch"},
    Mark{0,
         "\xD6\xC3\xC4"
         "\0"sv,
         "a patch (VCDIFF)"},
    Mark{0, "BSDIFF40"sv, "a patch"},
};

bool bears(ByteView file, std::size_t at, std::string_view bytes) {
  const auto there = slice(file, at, bytes.size());
  return there && std::ranges::equal(*there, as_bytes(bytes));
}

// A bitmap's own size is the file's.
bool is_bitmap(ByteView file) {
  Cursor cursor(file);
  const std::uint32_t header = cursor.u32le(14);
  return bears(file, 0, "BM") && cursor.u32le(6) == 0 && cursor.u32le(10) < 4096 &&
         (header == 12 || header == 40 || header == 108 || header == 124);
}

// An icon's list: every picture lies behind the list and inside the file.
bool is_icon(ByteView file) {
  Cursor cursor(file);
  const std::uint16_t count = cursor.u16le(4);
  if (!(bears(file, 0, "\0\0\x01\0"sv) || bears(file, 0, "\0\0\x02\0"sv)) || count == 0 ||
      count > 64)
    return false;
  const std::size_t list = 6 + std::size_t{16} * count;
  return cursor.u32le(14) > 0 && cursor.u32le(18) >= list && cursor.u32le(18) < (1U << 24U);
}

// A TrueType font: a few tables with names of four letters, in the order of their names.
bool is_truetype(ByteView file) {
  Cursor cursor(file);
  const std::uint16_t tables = cursor.u16be(4);
  if (!(bears(file, 0, "\0\x01\0\0"sv) || bears(file, 0, "true")) || tables == 0 || tables > 64)
    return false;
  const ByteView name = cursor.bytes(12, 4);
  return name.size() == 4 &&
         std::ranges::all_of(name, [](std::byte b) { return to_u8(b) >= 0x20 && to_u8(b) < 0x7F; });
}

bool is_windows_program(ByteView file) {
  Cursor cursor(file);
  const std::uint32_t header = cursor.u32le(0x3C);
  return bears(file, 0, "MZ") && header < 0x1000 && bears(file, header, "PE\0\0"sv);
}

// Python's mark is a version, a carriage return and a line feed; flags of few bits follow.
bool is_python_bytecode(ByteView file) {
  Cursor cursor(file);
  return file.size() >= 16 && bears(file, 2, "\r\n") && cursor.u32le(4) <= 3 &&
         cursor.u16le(0) >= 3000 && cursor.u16le(0) < 4000;
}

bool is_bzip2(ByteView file) {
  return bears(file, 0, "BZh") && (bears(file, 4, "1AY&SY") || bears(file, 4, "\x17rE8P\x90"));
}

// Two frames of MPEG sound, one behind the other.
bool is_mp3(ByteView file) {
  static constexpr std::array<unsigned, 16> kRates{0,   32,  40,  48,  56,  64,  80,  96,
                                                   112, 128, 160, 192, 224, 256, 320, 0};
  static constexpr std::array<unsigned, 4> kHertz{44100, 48000, 32000, 0};
  std::size_t at = 0;
  for (int frame = 0; frame < 3; ++frame) {
    Cursor cursor(file);
    const std::uint32_t head = cursor.u32be(at);
    if (cursor.overrun() || (head & 0xFFFE0000U) != 0xFFFA0000U) return false;
    const unsigned rate = kRates[(head >> 12U) & 15U];
    const unsigned hertz = kHertz[(head >> 10U) & 3U];
    if (rate == 0 || hertz == 0) return false;
    at += 144000U * rate / hertz + ((head >> 9U) & 1U);
  }
  return true;
}

// A header of DER: a sequence as long as the file.
bool is_der(ByteView file) {
  Cursor cursor(file);
  return bears(file, 0, "\x30\x82"sv) && cursor.u16be(2) + std::size_t{4} == file.size() &&
         file.size() > 8 && (file[4] == std::byte{0x30} || file[4] == std::byte{0x02});
}

// Compiled terminal descriptions: short counts that add up to the file.
bool is_terminfo(ByteView file) {
  Cursor cursor(file);
  const std::uint16_t mark = cursor.u16le(0);
  if (mark != 0x011A && mark != 0x021E) return false;
  const std::size_t width = mark == 0x011A ? 2 : 4;
  const std::size_t least = 12 + std::size_t{cursor.u16le(2)} + cursor.u16le(4) +
                            width * cursor.u16le(6) + std::size_t{2} * cursor.u16le(8) +
                            cursor.u16le(10);
  return !cursor.overrun() && least <= file.size() && least + 4096 > file.size();
}

bool is_extended_partition(ByteView file) {
  return file.size() >= (1U << 16U) && bears(file, 0x438, "\x53\xEF"sv) &&
         Cursor(file).u16le(0x43A) <= 3;
}

bool is_adts(ByteView file) {
  std::size_t at = 0;
  for (int frame = 0; frame < 3; ++frame) {
    Cursor cursor(file);
    if ((cursor.u16be(at) & 0xFFF6U) != 0xFFF0U) return false;
    const std::size_t length = (std::size_t{cursor.u8(at + 3)} & 3U) << 11U |
                               std::size_t{cursor.u8(at + 4)} << 3U | cursor.u8(at + 5) >> 5U;
    if (length < 7 || cursor.overrun()) return false;
    at += length;
  }
  return true;
}

struct Shape {
  bool (*fits)(ByteView);
  std::string_view words;
};

constexpr std::array kShapes{
    Shape{is_bitmap, "a BMP picture"},
    Shape{is_icon, "an icon or cursor"},
    Shape{is_truetype, "a font"},
    Shape{is_windows_program, "a program (PE)"},
    Shape{is_python_bytecode, "Python bytecode"},
    Shape{is_bzip2, "bzip2 data"},
    Shape{is_mp3, "MP3 sound"},
    Shape{is_adts, "AAC sound"},
    Shape{is_der, "a certificate or key"},
    Shape{is_terminfo, "a terminal description"},
    Shape{is_extended_partition, "a file system image"},
};

}  // namespace

OrdinaryFile ordinary_file(ByteView file) {
  if (is_plain_text(file)) return {bears(file, 0, "#!") ? "a script" : "text", true};
  for (const Mark& mark : kMarks)
    if (bears(file, mark.at, mark.bytes)) return {std::string(mark.words), true};
  for (const Shape& shape : kShapes)
    if (shape.fits(file)) return {std::string(shape.words), false};
  return {};
}

}  // namespace bayswap
