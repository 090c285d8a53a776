// Ordinary files, made of nothing but what their formats want: what lies around saves in real
// folders.
#pragma once

#include <archive.h>
#include <archive_entry.h>
#include <iconv.h>
#include <png.h>
#include <sqlite3.h>
#include <zlib.h>

#include <array>
#include <cstring>
#include <random>
#include <string>
#include <vector>

#include "support/bytes.h"
#include "support/folder.h"

namespace bayswap::test {

class OrdinaryFiles {
 public:
  explicit OrdinaryFiles(std::uint32_t seed) : numbers_(seed) {}

  struct File {
    std::string name;
    Bytes bytes;
  };

  File next() {
    constexpr std::array<File (OrdinaryFiles::*)(), 12> kMakers{
        &OrdinaryFiles::text,    &OrdinaryFiles::source,  &OrdinaryFiles::json,
        &OrdinaryFiles::table,   &OrdinaryFiles::png,     &OrdinaryFiles::jpeg,
        &OrdinaryFiles::gzipped, &OrdinaryFiles::archive, &OrdinaryFiles::program,
        &OrdinaryFiles::sqlite,  &OrdinaryFiles::paper,   &OrdinaryFiles::noise};
    File file = (this->*kMakers[below(kMakers.size())])();
    file.name = std::to_string(++count_) + file.name;
    return file;
  }

  /// A size as files have it: mostly small, and often that of a chip or near it.
  std::size_t size() {
    constexpr std::array<std::size_t, 9> kChips{512,   2048,   8192,    16384, 32768,
                                                65536, 131072, 0x48800, 524288};
    if (below(3) > 0) return below(70'001);
    const std::size_t chip = kChips[below(below(4) == 0 ? kChips.size() : 6)];
    return below(3) == 0 ? chip : chip - 300 + below(601);
  }

 private:
  std::size_t below(std::size_t limit) { return numbers_() % limit; }

  static Bytes of(const std::string& text) {
    const auto view = std::as_bytes(std::span(text));
    return {view.begin(), view.end()};
  }

  // Sentences of one language until there are enough.
  std::string words(std::size_t enough) {
    static const std::array<std::vector<const char*>, 10> kWords{{
        {"the", "lantern", "drifts", "over", "the", "old", "harbour.\n", "nobody", "waits;",
         "why?"},
        {"der", "Sämann", "zählt", "schöne", "Äpfel", "über", "Nacht.\n", "Straße", "und", "Öl"},
        {"le", "phare", "éclaire", "la", "forêt", "où", "naît", "l’été.\n", "garçon", "à"},
        {"el", "niño", "canción", "mañana", "río", "árbol.\n", "¿qué?", "otoño", "y", "la"},
        {"море", "тихо", "шумит", "у", "старого", "маяка.\n", "я", "иду", "домой", "ещё"},
        {"το", "καράβι", "φεύγει", "νωρίς.\n", "θάλασσα", "και", "ουρανός", "πάλι"},
        {"灯台の", "光が", "、", "静かな", "海を", "照らす。\n", "カモメ", "は", "飛ぶ"},
        {"灯塔", "照亮", "了", "安静的", "海，", "没有人", "等待。\n", "为什么", "呢"},
        {"등대가", "조용한", "바다를", "비춘다.\n", "아무도", "기다리지", "않는다", "왜"},
        {"المنارة", "تضيء", "البحر", "الهادئ.\n", "لا", "أحد", "ينتظر", "لماذا"},
    }};
    language_ = below(kWords.size());
    std::string text;
    while (text.size() < enough) {
      text += kWords[language_][below(kWords[language_].size())];
      if (!text.ends_with('\n')) text += ' ';
    }
    return text;
  }

  Bytes encoded(const std::string& text, const char* encoding) {
    const iconv_t converter = ::iconv_open(encoding, "UTF-8");
    Bytes out(text.size() * 4 + 16);
    std::string copy = text;
    char* from = copy.data();
    char* to = reinterpret_cast<char*>(out.data());
    std::size_t left = copy.size();
    std::size_t room = out.size();
    ::iconv(converter, &from, &left, &to, &room);
    ::iconv_close(converter);
    out.resize(out.size() - room);
    return out;
  }

  File text() {
    const std::string content = words(size() + 1);
    static const std::array<std::vector<const char*>, 10> kEncodings{{
        {"ASCII"},
        {"ISO-8859-1"},
        {"CP1252"},
        {"ISO-8859-15"},
        {"KOI8-R", "CP1251", "ISO-8859-5"},
        {"ISO-8859-7"},
        {"SHIFT-JIS", "EUC-JP", "ISO-2022-JP"},
        {"GBK", "GB18030"},
        {"EUC-KR"},
        {"ISO-8859-6"},
    }};
    static const std::array<const char*, 6> kUnicode{"UTF-8",    "UTF-16",   "UTF-16LE",
                                                     "UTF-16BE", "UTF-32LE", "UTF-32"};
    const auto& own = kEncodings[language_];
    const char* encoding =
        below(2) == 0 ? kUnicode[below(kUnicode.size())] : own[below(own.size())];
    Bytes bytes = encoded(content, encoding);
    if (bytes.empty()) bytes = of(content);
    static const std::array<const char*, 5> kNames{".txt", ".md", ".log", ".cfg", ".nfo"};
    if (below(3) == 0) bytes.resize(std::min(bytes.size(), size() / 4 * 4));
    return {kNames[below(kNames.size())], std::move(bytes)};
  }

  File source() {
    std::string code = below(4) == 0 ? "#!/bin/sh\n" : "// made up\n";
    const std::size_t enough = size();
    while (code.size() < enough)
      code += "static int f" + std::to_string(below(1000)) + "(int a) { return a * " +
              std::to_string(below(99)) + "; }\n";
    return {below(2) == 0 ? ".c" : ".py", of(code)};
  }
  File json() {
    std::string text = "{\"items\":[0";
    const std::size_t enough = size();
    while (text.size() < enough) text += ",{\"id\":" + std::to_string(numbers_()) + "}";
    return {".json", of(text + "]}")};
  }
  File table() {
    std::string text = below(2) == 0 ? "<?xml version=\"1.0\"?><r>" : "a,b,c\n";
    const std::size_t enough = size();
    while (text.size() < enough)
      text += text[0] == '<'
                  ? "<v>" + std::to_string(below(99999)) + "</v>"
                  : std::to_string(below(999)) + ",\"x\"," + std::to_string(below(9)) + "\n";
    return {text[0] == '<' ? ".xml" : ".csv", of(text)};
  }

  File png() {
    const auto side = static_cast<png_uint_32>(1 + below(below(5) == 0 ? 160 : 40));
    Bytes pixels(std::size_t{side} * side * 4);
    for (std::byte& byte : pixels) byte = static_cast<std::byte>(numbers_());
    png_image image{};
    image.version = PNG_IMAGE_VERSION;
    image.width = side;
    image.height = side;
    image.format = PNG_FORMAT_RGBA;
    png_alloc_size_t room = PNG_IMAGE_PNG_SIZE_MAX(image);
    Bytes bytes(room);
    png_image_write_to_memory(&image, bytes.data(), &room, 0, pixels.data(), 0, nullptr);
    bytes.resize(room);
    return {".png", std::move(bytes)};
  }
  File jpeg() {
    Bytes bytes = test::bytes({0xFF, 0xD8, 0xFF, 0xE0, 0, 16, 'J', 'F', 'I',  'F',  0, 1,
                               1,    0,    0,    1,    0, 1,  0,   0,   0xFF, 0xDA, 0, 2});
    bytes = bytes + random_bytes(size(), static_cast<std::uint32_t>(numbers_())) +
            test::bytes({0xFF, 0xD9});
    return {".jpg", std::move(bytes)};
  }
  File gzipped() {
    const std::string text = words(size());
    z_stream stream{};
    ::deflateInit2(&stream, 6, Z_DEFLATED, 15 + 16, 8, Z_DEFAULT_STRATEGY);
    Bytes out(::deflateBound(&stream, text.size()) + 32);
    stream.next_in = reinterpret_cast<Bytef*>(const_cast<char*>(text.data()));
    stream.avail_in = static_cast<uInt>(text.size());
    stream.next_out = reinterpret_cast<Bytef*>(out.data());
    stream.avail_out = static_cast<uInt>(out.size());
    ::deflate(&stream, Z_FINISH);
    out.resize(stream.total_out);
    ::deflateEnd(&stream);
    return {below(2) == 0 ? ".gz" : ".1.gz", std::move(out)};
  }
  File archive() {
    const bool zip = below(2) == 0;
    ::archive* writer = ::archive_write_new();
    zip ? ::archive_write_set_format_zip(writer) : ::archive_write_set_format_ustar(writer);
    Bytes out(1U << 20U);
    std::size_t used = 0;
    ::archive_write_open_memory(writer, out.data(), out.size(), &used);
    for (std::size_t i = 0; i < 1 + below(3); ++i) {
      const Bytes inside = below(2) == 0 ? of(words(size())) : random_bytes(size() / 2, 5);
      ::archive_entry* entry = ::archive_entry_new();
      ::archive_entry_set_pathname(entry, ("d/file" + std::to_string(i)).c_str());
      ::archive_entry_set_size(entry, static_cast<la_int64_t>(inside.size()));
      ::archive_entry_set_filetype(entry, AE_IFREG);
      ::archive_write_header(writer, entry);
      ::archive_write_data(writer, inside.data(), inside.size());
      ::archive_entry_free(entry);
    }
    ::archive_write_close(writer);
    ::archive_write_free(writer);
    out.resize(used);
    return {zip ? ".zip" : ".tar", std::move(out)};
  }
  // A piece of this very program, from its beginning.
  File program() {
    static const Bytes kOwn = read("/proc/self/exe");
    const std::size_t end = std::min(kOwn.size(), size() + 64);
    return {below(2) == 0 ? ".so" : "", Bytes(kOwn.begin(), kOwn.begin() + static_cast<long>(end))};
  }
  File sqlite() {
    static const Bytes kDatabase = [] {
      sqlite3* db = nullptr;
      ::sqlite3_open(":memory:", &db);
      ::sqlite3_exec(db, "create table t(a, b); insert into t values(1, 'two')", nullptr, nullptr,
                     nullptr);
      sqlite3_int64 size = 0;
      unsigned char* bytes = ::sqlite3_serialize(db, "main", &size, 0);
      const auto* from = reinterpret_cast<const std::byte*>(bytes);
      Bytes copy(from, from + size);
      ::sqlite3_free(bytes);
      ::sqlite3_close(db);
      return copy;
    }();
    return {".db", kDatabase};
  }
  File paper() {
    Bytes bytes = of("%PDF-1.4\n%") + test::bytes({0xE2, 0xE3, 0xCF, 0xD3}) + of("\n1 0 obj\n");
    bytes = bytes + random_bytes(size(), static_cast<std::uint32_t>(numbers_())) + of("%%EOF\n");
    return {".pdf", std::move(bytes)};
  }
  File noise() {
    static const std::array<const char*, 5> kNames{".bin", ".dat", ".cache", "", ".idx"};
    return {kNames[below(kNames.size())],
            random_bytes(size(), static_cast<std::uint32_t>(numbers_()))};
  }

  std::mt19937 numbers_;
  std::size_t count_ = 0;
  std::size_t language_ = 0;
};

}  // namespace bayswap::test
