#include "core/packing/archive.h"

#include <archive.h>
#include <archive_entry.h>
#include <fmt/core.h>
#include <zlib.h>

#include <algorithm>
#include <clocale>
#include <memory>

#include "core/bytes/cursor.h"
#include "core/bytes/encodings.h"
#include "core/bytes/text.h"

namespace bayswap {
namespace {

constexpr std::size_t kPiece = 1U << 18U;

// libarchive turns names into the letters of the thread's locale, and a program without one has
// ASCII alone.
class Utf8Names {
 public:
  Utf8Names() : utf8_(::newlocale(LC_CTYPE_MASK, "C.UTF-8", nullptr)) {
    if (utf8_ != nullptr) before_ = ::uselocale(utf8_);
  }
  ~Utf8Names() {
    if (utf8_ == nullptr) return;
    ::uselocale(before_);
    ::freelocale(utf8_);
  }
  Utf8Names(const Utf8Names&) = delete;
  Utf8Names& operator=(const Utf8Names&) = delete;

 private:
  locale_t utf8_;
  locale_t before_ = nullptr;
};

// An entry's name; one that is not UTF-8 is taken to be in the code page that zip archives began
// with. Empty when it has none.
std::string name_of(archive_entry* entry) {
  if (const char* name = archive_entry_pathname_utf8(entry);
      name != nullptr && is_utf8(as_bytes(name)))
    return name;
  const char* raw = archive_entry_pathname(entry);
  if (raw == nullptr) return {};
  return is_utf8(as_bytes(raw)) ? raw : dos_text(as_bytes(raw));
}

// At most `limit` bytes of the entry that is next.
Bytes read_entry(archive* reader, std::uint64_t limit) {
  Bytes bytes;
  Bytes step(kPiece);
  while (bytes.size() < limit) {
    const auto wanted =
        static_cast<std::size_t>(std::min<std::uint64_t>(kPiece, limit - bytes.size()));
    const la_ssize_t got = archive_read_data(reader, step.data(), wanted);
    if (got <= 0) break;
    bytes.insert(bytes.end(), step.begin(), step.begin() + got);
  }
  return bytes;
}

// Reads over an entry that is of no use, which unpacks it all the same. Gives the bytes; more than
// the limit when that was not all.
std::uint64_t pass_over(archive* reader, std::uint64_t limit) {
  Bytes step(kPiece);
  std::uint64_t passed = 0;
  while (passed <= limit) {
    const la_ssize_t got = archive_read_data(reader, step.data(), step.size());
    if (got <= 0) break;
    passed += static_cast<std::uint64_t>(got);
  }
  return passed;
}

// What a collection of saves may come to.
constexpr std::size_t kMostEntries = 4096;
constexpr std::uint64_t kFreeBytes = 16ULL << 20U;  // up to here, any compression is fine
constexpr std::uint64_t kMostRatio = 200;

// Relative, and without a step upwards.
bool is_safe_name(std::string_view name) {
  if (name.empty() || name.front() == '/' || name.find('\\') != std::string_view::npos ||
      name.find('\0') != std::string_view::npos)
    return false;
  std::size_t start = 0;
  while (start <= name.size()) {
    const std::size_t end = std::min(name.find('/', start), name.size());
    if (name.substr(start, end - start) == "..") return false;
    start = end + 1;
  }
  return true;
}

enum class Check { sound, broken, too_large };

// The checks of a gzip file: the archive library does not read them.
Check check_gzip(ByteView file, std::uint64_t most) {
  z_stream stream{};
  constexpr int kGzipWindow = 15 + 16;
  if (inflateInit2(&stream, kGzipWindow) != Z_OK) return Check::broken;
  const std::unique_ptr<z_stream, int (*)(z_stream*)> closer(&stream, inflateEnd);
  Bytes room(kPiece);
  std::uint64_t unpacked = 0;
  // zlib does not write to its input; its interface is older than `const`.
  stream.next_in = const_cast<Bytef*>(reinterpret_cast<const Bytef*>(file.data()));
  std::size_t left = file.size();
  while (true) {
    const auto given = static_cast<uInt>(std::min<std::size_t>(left, 1U << 30U));
    stream.avail_in = given;
    stream.next_out = reinterpret_cast<Bytef*>(room.data());
    stream.avail_out = static_cast<uInt>(room.size());
    const int status = inflate(&stream, Z_NO_FLUSH);
    left -= given - stream.avail_in;
    unpacked += room.size() - stream.avail_out;
    if (unpacked > most) return Check::too_large;
    if (status == Z_STREAM_END) {
      // Members stand one behind the other; anything else behind them is not a part of the archive.
      if (left < 18 || Cursor(file.last(left)).u16be(0) != 0x1F8B) return Check::sound;
      if (inflateReset(&stream) != Z_OK) return Check::broken;
    } else if (status != Z_OK || (given == stream.avail_in && stream.avail_out == room.size())) {
      return Check::broken;
    }
  }
}

// Reads everything that a compression holds, so that its own checks are made.
Check check_compression(ByteView file, std::uint64_t most) {
  const std::uint32_t start = Cursor(file).u32be(0);
  if (start >> 16U == 0x1F8B) return check_gzip(file, most);
  const bool compressed = start >> 8U == 0x425A68 || start == 0xFD377A58 || start == 0x28B52FFD;
  if (!compressed) return Check::sound;
  const std::unique_ptr<archive, int (*)(archive*)> reader(archive_read_new(), archive_read_free);
  archive_read_support_format_raw(reader.get());
  archive_read_support_filter_all(reader.get());
  archive_entry* entry = nullptr;
  if (archive_read_open_memory(reader.get(), file.data(), file.size()) != ARCHIVE_OK ||
      archive_read_next_header(reader.get(), &entry) != ARCHIVE_OK)
    return Check::broken;
  if (pass_over(reader.get(), most) > most) return Check::too_large;
  return archive_errno(reader.get()) == 0 ? Check::sound : Check::broken;
}

tl::unexpected<Error> too_large(const std::string& name, std::string_view what) {
  return fail(Trouble::input, Code::too_large, fmt::format("{}: {}", name, what),
              "unpack it yourself, with care, and name the save that you want");
}

}  // namespace

bool is_archive(ByteView file) {
  Cursor cursor(file);
  const std::uint32_t start = cursor.u32be(0);
  const bool packed = start == 0x504B0304 || start == 0x377ABCAF || start == 0x52617221;
  // Compressed tars: gzip, bzip2, xz, zstd. What is inside shows when it is opened.
  const bool compressed = start >> 16U == 0x1F8B || start >> 8U == 0x425A68 ||
                          start == 0xFD377A58 || start == 0x28B52FFD;
  const auto tar = slice(file, 257, 5);
  const bool plain_tar = tar && std::ranges::equal(*tar, as_bytes("ustar"));
  if (packed || plain_tar) return true;
  if (!compressed) return false;
  const std::unique_ptr<archive, int (*)(archive*)> reader(archive_read_new(), archive_read_free);
  archive_read_support_format_tar(reader.get());
  archive_read_support_filter_all(reader.get());
  archive_entry* entry = nullptr;
  return archive_read_open_memory(reader.get(), file.data(), file.size()) == ARCHIVE_OK &&
         archive_read_next_header(reader.get(), &entry) == ARCHIVE_OK;
}

Result<std::vector<ArchiveEntry>> read_archive(ByteView file, const std::string& name,
                                               std::uint64_t most_bytes) {
  const Utf8Names names;
  const std::unique_ptr<archive, int (*)(archive*)> reader(archive_read_new(), archive_read_free);
  archive_read_support_format_zip(reader.get());
  archive_read_support_format_7zip(reader.get());
  archive_read_support_format_rar(reader.get());
  archive_read_support_format_rar5(reader.get());
  archive_read_support_format_tar(reader.get());
  archive_read_support_filter_all(reader.get());
  if (archive_read_open_memory(reader.get(), file.data(), file.size()) != ARCHIVE_OK)
    return fail(Trouble::input, Code::damaged,
                fmt::format("{}: is not an archive that can be read", name),
                "download or copy it again");
  const std::uint64_t most =
      std::min(most_bytes, std::max<std::uint64_t>(kFreeBytes, file.size() * kMostRatio));
  switch (check_compression(file, most)) {
    case Check::sound: break;
    case Check::too_large: return too_large(name, "unpacks to more than any collection of saves");
    case Check::broken:
      return fail(
          Trouble::input, Code::damaged,
          fmt::format("{}: the compression around the archive is damaged or cut short", name),
          "download or copy it again");
  }
  std::vector<ArchiveEntry> entries;
  std::uint64_t total = 0;
  archive_entry* header = nullptr;
  for (std::size_t seen = 0;; ++seen) {
    const int status = archive_read_next_header(reader.get(), &header);
    if (status == ARCHIVE_EOF) return entries;
    constexpr int kLayers = 2;  // a compression, and the archive itself
    if (archive_filter_count(reader.get()) > kLayers)
      return too_large(name, "is compressed several times over");
    if (status != ARCHIVE_OK && status != ARCHIVE_WARN)
      return fail(Trouble::input, Code::damaged,
                  fmt::format("{}: the archive is damaged: {}", name,
                              safe_text(archive_error_string(reader.get()) == nullptr
                                            ? ""
                                            : archive_error_string(reader.get()))),
                  "download or copy it again");
    if (seen >= kMostEntries) return too_large(name, "has more files than any collection of saves");
    if (archive_entry_is_encrypted(header) != 0)
      return fail(Trouble::input, Code::locked, fmt::format("{}: wants a password", name),
                  "unpack it yourself and name the save");
    std::string path = name_of(header);
    if (archive_entry_filetype(header) != AE_IFREG || archive_entry_hardlink(header) != nullptr ||
        !is_safe_name(path)) {
      total += pass_over(reader.get(), most - total);
      if (total > most) return too_large(name, "unpacks to more than any collection of saves");
      continue;
    }
    ArchiveEntry entry;
    entry.name = std::move(path);
    entry.modified_ns = static_cast<std::int64_t>(archive_entry_mtime(header)) * 1'000'000'000;
    const std::uint64_t room = most - total;
    entry.bytes = read_entry(reader.get(), room + 1);
    if (entry.bytes.size() > room)
      return too_large(name, "unpacks to more than any collection of saves");
    if (archive_errno(reader.get()) != 0)
      return fail(Trouble::input, Code::damaged,
                  fmt::format("{}: {} in it is damaged", name, safe_text(entry.name)),
                  "download or copy the archive again");
    total += entry.bytes.size();
    entries.push_back(std::move(entry));
  }
}

bool is_zip(ByteView file) {
  return Cursor(file).u32be(0) == 0x504B0304;
}

bool visit_zip(ByteView file, const ArchiveLimits& limits,
               const std::function<bool(const std::string&, ByteView, std::uint64_t)>& visit) {
  const Utf8Names names;
  const std::unique_ptr<archive, int (*)(archive*)> reader(archive_read_new(), archive_read_free);
  // By its directory: what is passed over is then not unpacked.
  archive_read_support_format_zip_seekable(reader.get());
  if (archive_read_open_memory(reader.get(), file.data(), file.size()) != ARCHIVE_OK) return true;
  archive_entry* entry = nullptr;
  constexpr std::uint64_t kRatio = 20;
  bool sound = true;
  std::uint64_t left = limits.free_bytes + kRatio * file.size();
  for (std::size_t i = 0; i < limits.entries; ++i) {
    if (archive_read_next_header(reader.get(), &entry) != ARCHIVE_OK) return true;
    if (archive_entry_filetype(entry) != AE_IFREG) continue;
    const Bytes bytes = read_entry(reader.get(), std::min<std::uint64_t>(limits.entry_bytes, left));
    left -= bytes.size();
    if (archive_errno(reader.get()) != 0) sound = false;
    if (left == 0) return sound;
    const auto told = archive_entry_size_is_set(entry) != 0 ? archive_entry_size(entry) : 0;
    const std::uint64_t size = std::max<std::uint64_t>(
        bytes.size(), static_cast<std::uint64_t>(std::max<la_int64_t>(told, 0)));
    if (visit(name_of(entry), bytes, size)) return sound;
  }
  return sound;
}

}  // namespace bayswap
