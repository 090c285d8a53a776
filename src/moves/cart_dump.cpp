// A cartridge's ROM and save into files.
#include <fmt/core.h>

#include <algorithm>

#include "bayswap/cart.h"
#include "bayswap/rom.h"
#include "core/bytes/hash.h"
#include "core/bytes/text.h"
#include "core/naming/file_name.h"
#include "core/roms/whole_check.h"
#include "files/atomic_write.h"
#include "moves/cart_writer.h"
#include "moves/outputs.h"
#include "moves/part_file.h"

namespace bayswap {
namespace {

std::string_view rom_extension(System system) {
  switch (system) {
    case System::n64: return ".z64";
    case System::snes: return ".sfc";
    case System::md: return ".md";
    default: return {};
  }
}

std::string_view region_word(Region region) {
  switch (region) {
    case Region::america: return " (America)";
    case Region::europe: return " (Europe)";
    case Region::japan: return " (Japan)";
    default: return {};
  }
}

// What is worked out of a ROM while it goes by.
struct RomSums {
  RomSums(System system, std::uint64_t size) : checksum(system, size) {}
  void add(ByteView piece) {
    checksum.add(piece);
    hasher.add(piece);
  }
  RomChecksum checksum;
  Hasher hasher;
};

class CartDumper {
 public:
  CartDumper(Session& session, OpenCart cart, const CartDumpRequest& request)
      : session_(session), cart_(std::move(cart)), request_(request) {
    dumped_.cartridge = cart_.report;
    const auto info = session_.storage->info(request_.out);
    into_folder_ = request_.what == CartPart::both || (info && info->type == FileType::folder);
  }

  Result<CartDumped> run() {
    // The save is what cannot be had anywhere else: it comes first.
    if (request_.what != CartPart::rom)
      if (auto done = dump_save(); !done) return tl::unexpected(done.error());
    if (!dumped_.stopped && request_.what != CartPart::save)
      if (auto done = dump_rom(); !done) {
        if (auto written = write_all(); !written) return tl::unexpected(written.error());
        return tl::unexpected(done.error());
      }
    if (auto written = write_all(); !written) return tl::unexpected(written.error());
    if (part_) part_->remove();
    return std::move(dumped_);
  }

 private:
  Path path_of(const std::string& extension) const {
    if (!into_folder_) return request_.out;
    return request_.out / (stem() + extension);
  }

  // By the catalog, else by the header; `--like-rom` takes the name of the ROM that lies there.
  std::string stem() const {
    if (!like_.empty()) return like_;
    const Game game = game_of(cart_.rom, session_.catalog);
    if (game.title.empty()) return fmt::format("{} cartridge", to_string(cart_.report.system));
    return safe_file_name(game.title + std::string(region_word(game.region)));
  }

  void find_rom_beside() {
    const Path folder = into_folder_ ? request_.out : request_.out.parent_path();
    const RomIndex roms =
        RomIndex::scan(*session_.storage, folder.empty() ? "." : folder, false, session_.catalog);
    const Game& game = cart_.rom.info.game;
    for (const RomFile* rom : roms.roms())
      if (rom->info.system == cart_.report.system && rom->info.game.title == game.title &&
          rom->info.game.code == game.code)
        like_ = rom->stem;
  }

  bool is_taken(const Path& path) {
    if (request_.replace || is_missing(*session_.storage, path)) return false;
    dumped_.stopped = output_exists(path);
    return true;
  }

  Result<void> dump_save() {
    const CartridgeArea* area = save_area(cart_);
    if (area == nullptr) {
      const Error none{Trouble::stopped, Code::no_match,
                       "the cartridge has no save chip that the reader finds",
                       "does the game use passwords, or save to a card?"};
      if (request_.what == CartPart::save) dumped_.stopped = none;
      dumped_.findings.push_back({Level::note, none.code, none.text, none.hint});
      return {};
    }
    if (request_.like_rom) find_rom_beside();
    const Path path = path_of(".sav");
    if (is_taken(path)) return {};
    auto dump = cart_.cartridge.dump(*area);
    if (!dump) return tl::unexpected(dump.error());
    auto save = save_from_chip(cart_, *area, dump->bytes);
    if (!save) return tl::unexpected(save.error());
    if (save->parts.front().blank)
      dumped_.findings.push_back(
          {Level::warn, Code::blank_battery,
           "the chip is blank: nothing is saved on it; the battery may be dead",
           "measure the battery before you rely on this cartridge"});
    std::string layout;
    Bytes bytes = std::move(dump->bytes);
    if (const Layout* file = layout_on_cart(*save)) {
      auto written = file->write({{&*save, 1}, std::nullopt, cart_.hints});
      if (!written) return tl::unexpected(written.error());
      bytes = std::move(written->bytes);
      layout = file->info().id;
    }
    OutputFile output{{}, layout, bytes.size(), sha256_hex(bytes)};
    return add_output({path, std::move(bytes)}, std::move(output), dump->unsure, "save");
  }

  Result<void> dump_rom() {
    const CartridgeArea* area = cart_.cartridge.area("rom");
    if (area == nullptr) {
      dumped_.findings.push_back({Level::note, Code::no_match, "the reader shows no ROM", ""});
      return {};
    }
    const std::string system(to_string(cart_.report.system));
    const std::string extension(rom_extension(cart_.report.system));
    const Path path = path_of(extension.empty() ? "." + system : extension);
    if (is_taken(path)) return {};
    auto part = PartFile::open(*session_.storage, path, cart_.cartridge.header());
    if (!part) return tl::unexpected(part.error());
    part_.emplace(std::move(*part));
    if (part_->known() > 0)
      dumped_.findings.push_back(
          {Level::note, Code::assumed,
           fmt::format("goes on where the last run stopped, at {}", size_text(part_->known())),
           ""});
    std::optional<RomSums> sums;
    DumpOptions how;
    how.size = rom_size_in(cart_.report.system, cart_.cartridge.header());
    how.known = part_->known();
    how.begins = [&](std::uint64_t size) { sums.emplace(cart_.report.system, size); };
    how.first_reading = [&](ByteView piece) { sums->add(piece); };
    how.enough = [&] { return sums->checksum.verdict() == WholeCheck::holds; };
    const auto dump = cart_.cartridge.dump_into(*part_, *area, std::move(how));
    if (!dump) return keep_part(dump.error());
    if (dump->readings > 2) {  // the first reading was not right everywhere
      auto again = sums_of_part(dump->size);
      if (!again) return tl::unexpected(again.error());
      sums.emplace(std::move(*again));
    }
    say_how_it_was_checked(*dump, sums->checksum.verdict());
    OutFile file{path, {}, part_->path(), part_->begin()};
    OutputFile output{{}, {}, dump->size, hex_text(sums->hasher.finish())};
    return add_output(std::move(file), std::move(output), dump->unsure, "ROM");
  }

  Result<RomSums> sums_of_part(std::uint64_t size) {
    constexpr std::size_t kPiece = 0x10000;  // bytes
    RomSums sums(cart_.report.system, size);
    Bytes piece;
    for (std::uint64_t at = 0; at < size; at += piece.size()) {
      piece.resize(static_cast<std::size_t>(std::min<std::uint64_t>(kPiece, size - at)));
      if (auto got = part_->get(at, piece); !got) return tl::unexpected(got.error());
      sums.add(piece);
    }
    return sums;
  }

  // What was read is not lost, and does not look like a ROM.
  Result<void> keep_part(const Error& why) {
    const auto size = part_->size();
    if (!size || *size == 0) {
      part_->remove();
      return tl::unexpected(why);
    }
    Error error = why;
    error.text += fmt::format("; {} of the ROM are in {}", size_text(*size),
                              safe_text(part_->path().string()));
    error.hint += error.hint.empty() ? "the same command goes on from there"
                                     : "; the same command goes on from there";
    return tl::unexpected(error);
  }

  void say_how_it_was_checked(const AreaDump& dump, WholeCheck check) {
    if (check == WholeCheck::holds)
      dumped_.findings.push_back(
          {Level::note, Code::rom_match, "the ROM's own checksum holds", ""});
    if (check == WholeCheck::fails && dump.unsure.empty())
      dumped_.findings.push_back({Level::warn, Code::header_check,
                                  "the ROM reads the same each time, and its own checksum is "
                                  "wrong: a changed game, or bad contacts",
                                  "clean the contacts and dump it again"});
    if (check == WholeCheck::none && dump.unsure.empty())
      dumped_.findings.push_back({Level::note, Code::assumed,
                                  "this system's ROMs have no checksum of their own: it was read "
                                  "twice, and both readings agree",
                                  ""});
    if (dump.size_by_repeat)
      dumped_.findings.push_back(
          {Level::note, Code::assumed,
           fmt::format("the ROM is taken to be {}: after that it repeats", size_text(dump.size)),
           ""});
  }

  // A file that is not sure is called so. `unsure`: offsets of its pages.
  Result<void> add_output(OutFile file, OutputFile output, const std::vector<std::uint64_t>& unsure,
                          std::string_view what) {
    if (!unsure.empty()) {
      file.path += ".unsure";
      dumped_.unsure = true;
      dumped_.findings.push_back(
          {Level::error, Code::unsteady,
           fmt::format("{} of the {} read differently each time, the first at 0x{:X}: do not play "
                       "with this file",
                       counted(unsure.size(), "page"), what, unsure.front()),
           "clean the contacts with a little alcohol, let them dry, and dump it again"});
      if (is_taken(file.path)) return {};
    }
    output.path = file.path;
    dumped_.outputs.push_back(std::move(output));
    files_.push_back(std::move(file));
    return {};
  }

  // All files are one move. What was dumped is written, whatever happens to the rest.
  Result<void> write_all() {
    if (files_.empty()) return {};
    const OutputKind kind{"cart dump", cart_.report.port, cart_.report.game.title,
                          request_.replace};
    auto moved = write_outputs(session_, kind, std::exchange(files_, {}));
    if (!moved) return tl::unexpected(moved.error());
    dumped_.move = std::move(*moved);
    return {};
  }

  Session& session_;
  OpenCart cart_;
  const CartDumpRequest& request_;
  CartDumped dumped_;
  bool into_folder_ = false;
  std::vector<OutFile> files_;    // that are dumped and not yet written
  std::optional<PartFile> part_;  // of the ROM
  std::string like_;              // stem of the game's ROM that lies there
};

}  // namespace

Result<CartDumped> dump_cart(Session& session, const CartAccess& access,
                             const CartDumpRequest& request) {
  auto cart = open_cart(session, access);
  if (!cart) return tl::unexpected(cart.error());
  return CartDumper(session, std::move(*cart), request).run();
}

}  // namespace bayswap
