#include "core/packing/packing.h"

#include <archive.h>
#include <archive_entry.h>
#include <fmt/core.h>
#include <lz4frame.h>
#include <zlib.h>
#include <zstd.h>

#include <algorithm>
#include <array>
#include <functional>
#include <limits>
#include <memory>
#include <utility>

#include "core/bytes/cursor.h"
#include "core/bytes/fill.h"
#include "core/bytes/text.h"
#include "core/packing/archive.h"
#include "core/packing/png.h"

namespace bayswap {
namespace {

constexpr std::array<std::pair<Packing, std::string_view>, 6> kNames{{{Packing::plain, "plain"},
                                                                      {Packing::gzip, "gzip"},
                                                                      {Packing::zlib, "zlib"},
                                                                      {Packing::zip, "zip"},
                                                                      {Packing::zstd, "zstd"},
                                                                      {Packing::lz4, "lz4"}}};
constexpr std::string_view kFormPrefix = "state-";
constexpr std::size_t kStep = 1U << 18U;         // bytes that are unpacked at a time
constexpr std::size_t kLargestTry = 64U << 20U;  // moulds beyond it are not packed again
constexpr int kGzipWindow = 15 + 16;
constexpr int kZlibWindow = 15;

tl::unexpected<Error> damaged(const std::string& name, Packing packing) {
  return fail(Trouble::input, Code::damaged,
              fmt::format("{}: the {} compression around the state is damaged or cut short",
                          safe_text(name), to_string(packing)),
              "copy it again; if it is all there is, the program that made it may still load it");
}

tl::unexpected<Error> too_large(const std::string& name) {
  return fail(Trouble::input, Code::too_large,
              fmt::format("{}: unpacks to far more than a machine's memory", safe_text(name)),
              "the file may be made to do harm");
}

tl::unexpected<Error> cannot_pack(Packing packing) {
  return fail(Trouble::place, Code::pack_failed,
              fmt::format("the state could not be packed as {}", to_string(packing)));
}

// Grows the output step by step, up to the limit.
class Output {
 public:
  explicit Output(std::uint64_t limit) : limit_(limit) {}
  /// Room for more; none when the limit is reached.
  [[nodiscard]] std::span<std::byte> room() {
    if (used_ == bytes_.size())
      bytes_.resize(static_cast<std::size_t>(
          std::min<std::uint64_t>(limit_, std::max(used_ * 2, used_ + kStep))));
    return std::span(bytes_).subspan(used_);
  }
  void add(std::size_t count) { used_ += count; }
  [[nodiscard]] bool full() const { return used_ >= limit_; }
  [[nodiscard]] Bytes take() {
    bytes_.resize(used_);
    return std::move(bytes_);
  }

 private:
  std::uint64_t limit_;
  std::size_t used_ = 0;
  Bytes bytes_;
};

enum class End { whole, limit, broken };

// zlib counts in 32 bits.
uInt short_size(std::size_t size) {
  return static_cast<uInt>(std::min<std::size_t>(size, 1U << 30U));
}

End inflate_stream(ByteView file, int window, Output& out, std::size_t& used) {
  z_stream stream{};
  if (inflateInit2(&stream, window) != Z_OK) return End::broken;
  const std::unique_ptr<z_stream, int (*)(z_stream*)> closer(&stream, inflateEnd);
  // zlib does not write to its input; its interface is older than `const`.
  auto* const start = const_cast<Bytef*>(reinterpret_cast<const Bytef*>(file.data()));
  std::size_t at = 0;
  while (true) {
    if (out.full()) return End::limit;
    const auto room = out.room();
    stream.next_in = start + at;
    stream.avail_in = short_size(file.size() - at);
    stream.next_out = reinterpret_cast<Bytef*>(room.data());
    stream.avail_out = short_size(room.size());
    const uInt given = stream.avail_in;
    const uInt asked = stream.avail_out;
    const int status = inflate(&stream, Z_NO_FLUSH);
    at += given - stream.avail_in;
    out.add(asked - stream.avail_out);
    used = at;
    if (status == Z_STREAM_END) return End::whole;
    if (status != Z_OK || (given == stream.avail_in && asked == stream.avail_out))
      return End::broken;
  }
}

// Members of a gzip file stand one behind the other.
End inflate_members(ByteView file, Output& out, std::size_t& used) {
  used = 0;
  while (true) {
    std::size_t member = 0;
    const End end = inflate_stream(file.subspan(used), kGzipWindow, out, member);
    used += member;
    if (end != End::whole || Cursor(file).u16be(used) != 0x1F8B) return end;
  }
}

End decompress_zstd(ByteView file, Output& out, std::size_t& used) {
  const std::unique_ptr<ZSTD_DCtx, std::size_t (*)(ZSTD_DCtx*)> context(ZSTD_createDCtx(),
                                                                        ZSTD_freeDCtx);
  ZSTD_inBuffer input{file.data(), file.size(), 0};
  while (true) {
    if (out.full()) return End::limit;
    const auto room = out.room();
    ZSTD_outBuffer output{room.data(), room.size(), 0};
    const std::size_t before = input.pos;
    const std::size_t status = ZSTD_decompressStream(context.get(), &output, &input);
    out.add(output.pos);
    used = input.pos;
    if (ZSTD_isError(status) != 0) return End::broken;
    if (status == 0) return End::whole;
    if (input.pos == before && output.pos == 0) return End::broken;
  }
}

using Lz4Reader = std::unique_ptr<LZ4F_dctx, LZ4F_errorCode_t (*)(LZ4F_dctx*)>;

Lz4Reader lz4_reader() {
  LZ4F_dctx* context = nullptr;
  (void)LZ4F_createDecompressionContext(&context, LZ4F_VERSION);
  return {context, LZ4F_freeDecompressionContext};
}

End decompress_lz4(ByteView file, Output& out, std::size_t& used) {
  const Lz4Reader context = lz4_reader();
  used = 0;
  while (true) {
    if (out.full()) return End::limit;
    const auto room = out.room();
    std::size_t written = room.size();
    std::size_t read = file.size() - used;
    const std::size_t status =
        LZ4F_decompress(context.get(), room.data(), &written, file.data() + used, &read, nullptr);
    out.add(written);
    used += read;
    if (LZ4F_isError(status) != 0) return End::broken;
    if (status == 0) return End::whole;
    if (read == 0 && written == 0) return End::broken;
  }
}

// The largest entry is the memory; a small PNG beside it shows the screen.
Result<Unpacked> unzip(ByteView file, std::uint64_t limit, AtLimit at_limit,
                       const std::string& name) {
  ArchiveLimits limits;
  limits.entry_bytes = static_cast<std::size_t>(limit) + 1;
  Unpacked found;
  std::uint64_t told = 0;
  bool broken = false;
  const bool sound =
      visit_zip(file, limits, [&](const std::string&, ByteView bytes, std::uint64_t size) {
        if (is_png(bytes) && found.picture.empty()) {
          found.picture.assign(bytes.begin(), bytes.end());
        } else if (bytes.size() > found.bytes.size()) {
          found.bytes.assign(bytes.begin(), bytes.end());
          told = size;
        }
        return false;
      });
  found.used = file.size();
  if (found.bytes.size() > limit) {
    if (at_limit == AtLimit::fail) return too_large(name);
    found.bytes.resize(static_cast<std::size_t>(limit));
    found.whole = false;
  } else {
    broken = !sound || found.bytes.empty() || told != found.bytes.size();
  }
  if (broken) return damaged(name, Packing::zip);
  return found;
}

// What the mould's own packing was told; tried until packing its content gives the mould.
using TryPack = std::function<Result<Bytes>(ByteView, int)>;

Result<Bytes> pack_like(ByteView content, Packing packing, const std::vector<int>& levels,
                        int usual, const std::optional<ByteView>& mould, const TryPack& pack_at) {
  if (mould && mould->size() <= kLargestTry)
    if (const auto own = unpack(*mould, packing, kLargestTry, AtLimit::fail, ""))
      for (const int level : levels)
        if (const auto tried = pack_at(own->bytes, level); tried && same_bytes(*tried, *mould))
          return pack_at(content, level);
  return pack_at(content, usual);
}

// Levels with their amount of memory in the tens.
constexpr std::size_t kMemoryPlace = 10;

Result<Bytes> deflated(ByteView content, Packing packing, int level, gz_header* header) {
  z_stream stream{};
  const int memory = level / static_cast<int>(kMemoryPlace);
  const int window = packing == Packing::gzip ? kGzipWindow : kZlibWindow;
  if (deflateInit2(&stream, level % static_cast<int>(kMemoryPlace), Z_DEFLATED, window, memory,
                   Z_DEFAULT_STRATEGY) != Z_OK)
    return cannot_pack(packing);
  const std::unique_ptr<z_stream, int (*)(z_stream*)> closer(&stream, deflateEnd);
  if (header != nullptr) deflateSetHeader(&stream, header);
  Bytes bytes(deflateBound(&stream, static_cast<uLong>(content.size())) + 64);
  auto* const start = const_cast<Bytef*>(reinterpret_cast<const Bytef*>(content.data()));
  std::size_t at = 0;
  std::size_t made = 0;
  int status = Z_OK;
  while (status == Z_OK) {
    stream.next_in = start + at;
    stream.avail_in = short_size(content.size() - at);
    stream.next_out = reinterpret_cast<Bytef*>(bytes.data()) + made;
    stream.avail_out = short_size(bytes.size() - made);
    const uInt given = stream.avail_in;
    const uInt room = stream.avail_out;
    status = deflate(&stream, at + given == content.size() ? Z_FINISH : Z_NO_FLUSH);
    at += given - stream.avail_in;
    made += room - stream.avail_out;
  }
  if (status != Z_STREAM_END) return cannot_pack(packing);
  bytes.resize(made);
  return bytes;
}

// The header of a gzip file, with room for its texts.
struct GzipHeader {
  static constexpr std::size_t kRoom = 1024;
  gz_header header{};
  std::array<Bytef, kRoom> name{};
  std::array<Bytef, kRoom> comment{};

  GzipHeader() { header.os = 255; }  // not told
  GzipHeader(const GzipHeader&) = delete;
  GzipHeader& operator=(const GzipHeader&) = delete;

  // Takes over what stands in front of a file, as far as it can be read.
  void take_from(ByteView file) {
    z_stream stream{};
    if (inflateInit2(&stream, kGzipWindow) != Z_OK) return;
    header.name = name.data();
    header.name_max = kRoom - 1;
    header.comment = comment.data();
    header.comm_max = kRoom - 1;
    inflateGetHeader(&stream, &header);
    Bytes some(64);
    stream.next_in = const_cast<Bytef*>(reinterpret_cast<const Bytef*>(file.data()));
    stream.avail_in = short_size(file.size());
    stream.next_out = reinterpret_cast<Bytef*>(some.data());
    stream.avail_out = static_cast<uInt>(some.size());
    (void)inflate(&stream, Z_NO_FLUSH);
    inflateEnd(&stream);
    if (header.done != 1) header = gz_header{};
    if (name[0] == 0) header.name = nullptr;
    if (comment[0] == 0) header.comment = nullptr;
    header.extra = nullptr;
  }
};

Result<Bytes> pack_deflate(ByteView content, Packing packing,
                           const std::optional<ByteView>& mould) {
  GzipHeader header;
  const bool has_header = packing == Packing::gzip;
  if (has_header && mould) header.take_from(*mould);
  std::vector<int> levels;
  for (const int memory : {8, 9})
    for (const int level : {6, 9, 1, 2, 3, 4, 5, 7, 8}) levels.push_back(memory * 10 + level);
  constexpr int kUsual = 86;
  return pack_like(content, packing, levels, kUsual, mould, [&](ByteView bytes, int level) {
    return deflated(bytes, packing, level, has_header ? &header.header : nullptr);
  });
}

Result<Bytes> pack_zstd(ByteView content, const std::optional<ByteView>& mould) {
  // Frame header descriptor, RFC 8878 section 3.1.1.1.1.
  constexpr std::uint8_t kChecksum = 0x04;
  constexpr std::uint8_t kSizeBits = 0xE0;  // content size flag and single segment
  const std::uint8_t descriptor = mould ? Cursor(*mould).u8(4) : kSizeBits;
  std::vector<int> levels{3};
  for (int level = 1; level <= 19; ++level) levels.push_back(level);
  return pack_like(
      content, Packing::zstd, levels, 3, mould, [&](ByteView bytes, int level) -> Result<Bytes> {
        const std::unique_ptr<ZSTD_CCtx, std::size_t (*)(ZSTD_CCtx*)> context(ZSTD_createCCtx(),
                                                                              ZSTD_freeCCtx);
        const auto set = [&](ZSTD_cParameter parameter, int value) {
          (void)ZSTD_CCtx_setParameter(context.get(), parameter, value);
        };
        set(ZSTD_c_compressionLevel, level);
        set(ZSTD_c_checksumFlag, (descriptor & kChecksum) != 0 ? 1 : 0);
        set(ZSTD_c_contentSizeFlag, (descriptor & kSizeBits) != 0 ? 1 : 0);
        Bytes packed(ZSTD_compressBound(bytes.size()));
        const std::size_t size =
            ZSTD_compress2(context.get(), packed.data(), packed.size(), bytes.data(), bytes.size());
        if (ZSTD_isError(size) != 0) return cannot_pack(Packing::zstd);
        packed.resize(size);
        return packed;
      });
}

Result<Bytes> pack_lz4(ByteView content, const std::optional<ByteView>& mould) {
  LZ4F_preferences_t usual{};
  usual.frameInfo.contentChecksumFlag = LZ4F_contentChecksumEnabled;
  if (mould) {
    const Lz4Reader context = lz4_reader();
    std::size_t size = mould->size();
    LZ4F_frameInfo_t info{};
    if (LZ4F_isError(LZ4F_getFrameInfo(context.get(), &info, mould->data(), &size)) == 0)
      usual.frameInfo = info;
  }
  std::vector<int> levels;
  for (int level = 0; level <= 12; ++level) levels.push_back(level);
  return pack_like(
      content, Packing::lz4, levels, 0, mould, [&](ByteView bytes, int level) -> Result<Bytes> {
        LZ4F_preferences_t how = usual;
        how.compressionLevel = level;
        if (how.frameInfo.contentSize != 0) how.frameInfo.contentSize = bytes.size();
        Bytes packed(LZ4F_compressFrameBound(bytes.size(), &how));
        const std::size_t size =
            LZ4F_compressFrame(packed.data(), packed.size(), bytes.data(), bytes.size(), &how);
        if (LZ4F_isError(size) != 0) return cannot_pack(Packing::lz4);
        packed.resize(size);
        return packed;
      });
}

// Entries of the mould are kept, but for the largest: that is the memory.
Result<Bytes> pack_zip(ByteView content, const std::string& name,
                       const std::optional<ByteView>& mould) {
  struct Entry {
    std::string name;
    Bytes bytes;
  };
  std::vector<Entry> entries;
  if (mould)
    visit_zip(*mould, {}, [&](const std::string& inner, ByteView bytes, std::uint64_t) {
      entries.push_back({inner, {bytes.begin(), bytes.end()}});
      return false;
    });
  const auto memory = std::ranges::max_element(
      entries, {}, [](const Entry& entry) { return is_png(entry.bytes) ? 0 : entry.bytes.size(); });
  if (memory == entries.end())
    entries.push_back({name, {content.begin(), content.end()}});
  else
    memory->bytes.assign(content.begin(), content.end());
  std::size_t room = 4096;
  for (const Entry& entry : entries) room += entry.bytes.size() + entry.bytes.size() / 64 + 1024;
  Bytes packed(room);
  std::size_t used = 0;
  const std::unique_ptr<archive, int (*)(archive*)> writer(archive_write_new(), archive_write_free);
  archive_write_set_format_zip(writer.get());
  archive_write_set_bytes_per_block(writer.get(), 0);
  bool fine =
      archive_write_open_memory(writer.get(), packed.data(), packed.size(), &used) == ARCHIVE_OK;
  for (const Entry& entry : entries) {
    const std::unique_ptr<archive_entry, void (*)(archive_entry*)> header(archive_entry_new(),
                                                                          archive_entry_free);
    constexpr unsigned kMode = 0644;
    archive_entry_set_pathname_utf8(header.get(), entry.name.c_str());
    archive_entry_set_size(header.get(), static_cast<la_int64_t>(entry.bytes.size()));
    archive_entry_set_filetype(header.get(), AE_IFREG);
    archive_entry_set_perm(header.get(), kMode);
    archive_entry_set_mtime(header.get(), 0, 0);
    fine = fine && archive_write_header(writer.get(), header.get()) == ARCHIVE_OK &&
           archive_write_data(writer.get(), entry.bytes.data(), entry.bytes.size()) ==
               static_cast<la_ssize_t>(entry.bytes.size());
  }
  fine = fine && archive_write_close(writer.get()) == ARCHIVE_OK;
  if (!fine) return cannot_pack(Packing::zip);
  packed.resize(used);
  return packed;
}

// Two bytes are a short mark: a stream that ends well, with its check, is proof.
bool is_zlib(ByteView file) {
  constexpr std::size_t kLeast = 16;
  constexpr std::uint8_t kMethod = 8;
  Cursor cursor(file);
  const std::uint16_t start = cursor.u16be(0);
  if (file.size() < kLeast || (start >> 8U & 0x0FU) != kMethod || start >> 12U > 7 ||
      start % 31 != 0 || (start & 0x20U) != 0)
    return false;
  Output out(unpacking_budget(file.size()));
  std::size_t used = 0;
  return inflate_stream(file, kZlibWindow, out, used) == End::whole;
}

}  // namespace

std::string_view to_string(Packing packing) {
  for (const auto& [one, name] : kNames)
    if (one == packing) return name;
  return {};
}

std::optional<Packing> parse_state_form(std::string_view id) {
  if (!id.starts_with(kFormPrefix)) return std::nullopt;
  for (const auto& [packing, name] : kNames)
    if (id.substr(kFormPrefix.size()) == name) return packing;
  return std::nullopt;
}

const std::vector<Packing>& all_packings() {
  static const std::vector<Packing> kAll{Packing::plain, Packing::gzip, Packing::zlib,
                                         Packing::zip,   Packing::zstd, Packing::lz4};
  return kAll;
}

Packing packing_of(ByteView file) {
  const std::uint32_t start = Cursor(file).u32be(0);
  if (start >> 8U == 0x1F8B08) return Packing::gzip;
  if (start == 0x28B52FFD) return Packing::zstd;
  if (start == 0x04224D18) return Packing::lz4;
  if (is_zip(file)) return Packing::zip;
  return is_zlib(file) ? Packing::zlib : Packing::plain;
}

Result<Unpacked> unpack(ByteView file, Packing packing, std::uint64_t limit, AtLimit at_limit,
                        const std::string& name, std::uint64_t* work) {
  limit = std::min(limit, unpacking_budget(file.size()));
  if (packing == Packing::zip) return unzip(file, limit, at_limit, name);
  Unpacked found;
  if (packing == Packing::plain) {
    found.bytes.assign(file.begin(), file.end());
    found.used = file.size();
    return found;
  }
  // One byte more than allowed tells that there is more.
  Output out(limit + 1);
  End end = End::broken;
  if (packing == Packing::gzip) end = inflate_members(file, out, found.used);
  if (packing == Packing::zlib) end = inflate_stream(file, kZlibWindow, out, found.used);
  if (packing == Packing::zstd) end = decompress_zstd(file, out, found.used);
  if (packing == Packing::lz4) end = decompress_lz4(file, out, found.used);
  found.bytes = out.take();
  if (work != nullptr) *work += found.bytes.size();
  if (end == End::broken) return damaged(name, packing);
  if (found.bytes.size() > limit) {
    if (at_limit == AtLimit::fail) return too_large(name);
    found.bytes.resize(static_cast<std::size_t>(limit));
    found.whole = false;
  }
  return found;
}

Result<Bytes> pack(ByteView content, Packing packing, const std::string& name,
                   std::optional<ByteView> mould) {
  if (mould && packing_of(*mould) != packing) mould.reset();
  switch (packing) {
    case Packing::plain: return Bytes(content.begin(), content.end());
    case Packing::gzip:
    case Packing::zlib: return pack_deflate(content, packing, mould);
    case Packing::zip: return pack_zip(content, name, mould);
    case Packing::zstd: return pack_zstd(content, mould);
    case Packing::lz4: return pack_lz4(content, mould);
  }
  return cannot_pack(packing);
}

}  // namespace bayswap
