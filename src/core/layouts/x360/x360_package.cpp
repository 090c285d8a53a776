#include "core/layouts/x360/x360_package.h"

#include <fmt/core.h>

#include <algorithm>
#include <set>

#include "core/bytes/text.h"
#include "core/layouts/common/card_errors.h"
#include "core/layouts/common/card_map.h"
#include "core/layouts/common/rescues.h"
#include "core/layouts/x360/x360_validate.h"
#include "core/layouts/x360/x360_volume.h"
#include "core/layouts/x360/x360_writer.h"

namespace bayswap {
namespace {

using namespace x360;

constexpr std::string_view kWhole = "package";

Error no_package() {
  return {Trouble::input, Code::damaged, "its header is not that of an x360 package",
          "copy it again from where it came"};
}

std::vector<std::string> problems_of(const VolumeFile& file) {
  if (!file.whole) return {"its chain of blocks breaks off"};
  if (!file.holds) return {"the hashes of its blocks do not match: some of its bytes are wrong"};
  return {};
}

Card card_of(ByteView package, const Volume& volume,
             const std::function<bool(const std::string&)>& with_data) {
  Card card;
  card.block_size = kBlockSize;
  card.game = volume.header.game;
  card.comment = volume.header.display_name;
  card.thumbnail = volume.header.thumbnail;
  card.map.resize(volume.blocks);
  std::set<std::uint32_t> claimed;
  for (const VolumeFile& file : volume.files) {
    CardSave on_card;
    on_card.save = make_file(file.path, volume.entries[file.entry],
                             with_data(file.path) ? file_bytes(package, volume, file) : Bytes{});
    on_card.blocks = file.blocks;
    on_card.block_count = static_cast<std::uint32_t>(file.blocks.size());
    for (const std::string& problem : problems_of(file))
      on_card.findings.push_back(damaged(safe_text(file.path) + ": " + problem));
    claimed.insert(file.blocks.begin(), file.blocks.end());
    card.saves.push_back(std::move(on_card));
  }
  for (std::uint32_t block = 0; block < card.map.size(); ++block)
    if (volume.map[block].used() && !claimed.contains(block))
      card.map[block].state = BlockState::stray;
  for (const std::uint32_t block : volume.table) card.map[block].state = BlockState::system;
  card.blocks_total = static_cast<std::uint32_t>(volume.blocks - volume.table.size());
  draw_saves(card);
  if (volume.header.content_type != kSavedGame)
    card.findings.push_back({Level::note, Code::no_saved_game,
                             fmt::format("the package says that it is content of type {:08x}, not "
                                         "a saved game",
                                         volume.header.content_type),
                             ""});
  for (const std::string& why : volume.broken) card.findings.push_back(damaged(why));
  if (!volume.table_whole) card.findings.push_back(damaged("the file table breaks off"));
  return card;
}

// The package at its full size, with the tables that fit their hashes in the live places.
Bytes image_of(ByteView package, const Volume& volume) {
  Bytes image(package.begin(), package.end());
  if (volume.blocks > 0) {
    const std::uint64_t end =
        volume.header.end + (block_place(volume.blocks - 1, volume.header.copies) + 1) * kBlockSize;
    if (image.size() < end) image.resize(end);
  }
  if (!volume.spare_used) return image;
  const unsigned level = volume.level;
  LiveTables live(package, volume.header, level, false);
  LiveTables sound(package, volume.header, level, true);
  for (unsigned at = 0; at <= level; ++at) {
    std::uint64_t covered = kFanout;
    for (unsigned i = 0; i < at; ++i) covered *= kFanout;
    for (std::uint64_t number = 0; number * covered < volume.blocks; ++number) {
      const auto from = sound.table(at, number);
      if (!from) continue;
      const std::uint64_t to =
          volume.header.end +
          (table_place(at, number, volume.header.copies) + live.copy_of(at, number)) * kBlockSize;
      if (to + kBlockSize <= image.size())
        std::ranges::copy(*from, image.begin() + static_cast<std::ptrdiff_t>(to));
    }
  }
  return image;
}

}  // namespace

X360PackageLayout::X360PackageLayout() {
  info_ = {"x360-package",        System::x360,
           Kind::card_save,       "a title's package of files",
           {std::string(kWhole)}, {}};
  card_info_.family = "x360";
  card_info_.block_size = kBlockSize;
  card_info_.name_length = kEntryNameSize;
  card_info_.package = true;
}

std::optional<Match> X360PackageLayout::recognise(ByteView file, const Hints& /*hints*/) const {
  const auto header = parse_header(file);
  if (!header) return std::nullopt;
  const bool described = file[kDescriptorSize] == std::byte{kDescriptor} && header->total > 0;
  return Match{described ? Confidence::certain : Confidence::likely,
               fmt::format("its header is that of a package signed as {}", header->magic),
               Basis::structure};
}

Result<Card> X360PackageLayout::open(ByteView file) const {
  const auto volume = read_volume(file, false);
  if (!volume) return tl::unexpected(no_package());
  return card_of(file, *volume, [](const std::string&) { return true; });
}

Result<Card> X360PackageLayout::list(ByteView file,
                                     const std::vector<std::string>& with_data) const {
  const auto volume = read_volume(file, false);
  if (!volume) return tl::unexpected(no_package());
  return card_of(file, *volume, [&](const std::string& name) {
    return std::ranges::find(with_data, name) != with_data.end();
  });
}

Findings X360PackageLayout::validate(ByteView file) const {
  return validate_x360(file);
}

Result<Bytes> X360PackageLayout::format(std::uint32_t /*blocks*/) const {
  return fail(Trouble::stopped, Code::no_match,
              "a package names its title, its profile and its signer: only the game makes one",
              "start the game once and save, then put files into the package that it made");
}

Result<Bytes> X360PackageLayout::format_like(ByteView damaged, std::uint32_t /*blocks*/) const {
  return emptied_package(damaged);
}

Result<ChangedCard> X360PackageLayout::change(ByteView file, const CardChange& change) const {
  const auto volume = read_volume(file, false);
  if (!volume) return tl::unexpected(no_package());
  if (auto wrong = no_such_place(change, volume->files.size())) return tl::unexpected(*wrong);
  std::vector<std::string> dropped;
  for (const std::size_t place : change.drop) dropped.push_back(volume->files.at(place).path);
  auto bytes = change_package(file, dropped, change.put);
  if (!bytes) return tl::unexpected(bytes.error());
  return ChangedCard{std::move(*bytes), {}};
}

Result<Salvage> X360PackageLayout::salvage(ByteView file) const {
  const auto volume = read_volume(file, true);
  if (!volume) return tl::unexpected(no_package());
  Salvage salvage;
  salvage.findings = validate_x360(file);
  salvage.blocks = static_cast<std::uint32_t>(volume->blocks);
  salvage.image = image_of(file, *volume);
  for (const VolumeFile& found : volume->files) {
    Save save =
        make_file(found.path, volume->entries[found.entry], file_bytes(file, *volume, found));
    Rescue rescue = rescue_of(std::move(save), problems_of(found), {.lost = !found.whole});
    if (found.whole && !found.holds) rescue.state = RescueState::damaged;
    salvage.saves.push_back(std::move(rescue));
  }
  for (const std::string& why : volume->broken) {
    Save unknown;
    unknown.system = System::x360;
    unknown.kind = Kind::card_save;
    unknown.name = why.substr(0, why.find(':'));
    salvage.saves.push_back(rescue_of(std::move(unknown), {why}, {.lost = true}));
  }
  return salvage;
}

std::string X360PackageLayout::identity(const Save& save) const {
  return lower_ascii(save.name);
}

std::optional<Finding> X360PackageLayout::broken_seal(ByteView file) const {
  const auto header = parse_header(file);
  if (!header) return std::nullopt;
  if (header->signer == Signer::console)
    return Finding{Level::note, Code::signature,
                   "the package's signature is not renewed: only its console can sign it; a "
                   "console that checks signatures will not take the changed package",
                   ""};
  return Finding{Level::error,
                 Code::damaged,
                 fmt::format("the package is signed by its publisher ({}), and any change breaks "
                             "that signature for good",
                             header->magic),
                 {"safer: play from a save that the game itself makes; to change it anyway: ",
                  accept_remedy(Code::damaged)}};
}

Result<Content> X360PackageLayout::read(ByteView file, const Hints& hints) const {
  const auto header = parse_header(file);
  if (!header) return tl::unexpected(no_package());
  Content content;
  content.findings = validate_x360(file);
  std::erase_if(content.findings, [](const Finding& f) { return f.level != Level::error; });
  Save save;
  save.system = System::x360;
  save.kind = Kind::card_save;
  save.game = header->game;
  save.name = hints.file_name;
  save.comment = header->display_name;
  save.parts.push_back({std::string(kWhole), Bytes(file.begin(), file.end()), false, {}});
  content.saves.push_back(std::move(save));
  return content;
}

Result<Written> X360PackageLayout::write(const WriteRequest& request) const {
  if (request.saves.size() != 1 || request.saves.front().part(kWhole) == nullptr)
    return fail(Trouble::stopped, Code::no_match,
                "an x360 package is made by its game; single files cannot become one",
                {"put files into a package that is there: ", Remedy::put_in_package});
  Written written;
  written.bytes = request.saves.front().part(kWhole)->data;
  return written;
}

}  // namespace bayswap
