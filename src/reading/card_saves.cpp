#include "reading/card_saves.h"

#include <fmt/core.h>

#include <algorithm>
#include <iterator>
#include <system_error>

#include "bayswap/folder.h"
#include "core/bytes/text.h"
#include "core/naming/file_name.h"
#include "files/archive_storage.h"
#include "places/find_folders.h"
#include "places/second_file.h"
#include "places/walk.h"
#include "reading/folder_card.h"
#include "reading/open_card.h"

namespace bayswap {
namespace {

Time seconds_of(std::int64_t ns) {
  return Time{std::chrono::seconds{ns / 1'000'000'000}};
}

bool is_folder(Session& session, const Path& path) {
  const auto info = session.storage->info(path);
  return info && info->type != FileType::file && session.storage->list(path).has_value();
}

Result<CardSaves> read_folder(Session& session, const Path& path, const std::string& is,
                              Hold hold) {
  const Layout* said = nullptr;
  if (!is.empty()) {
    const auto layout = find_layout(is);
    if (!layout) return tl::unexpected(layout.error());
    said = *layout;
  }
  auto parts = read_parts(*session.storage, path, hold);
  if (!parts) return tl::unexpected(parts.error());
  std::error_code ignored;
  const Path full = std::filesystem::absolute(path / "", ignored).lexically_normal();
  const std::string name = full.parent_path().string();
  const FolderLayout* best = as_folder(said);
  std::optional<Match> match;
  if (said == nullptr)
    for (const auto& layout : layouts().all())
      if (const FolderLayout* folder = as_folder(layout.get())) {
        auto claim = folder->recognise_folder(name, *parts);
        if (claim && (!match || claim->confidence > match->confidence)) {
          match = std::move(claim);
          best = folder;
        }
      }
  if (best == nullptr)
    return fail(Trouble::input, Code::no_match,
                fmt::format("{}: is not a folder of one save", safe_text(path.string())),
                {"name the save's own folder, or say its layout with ", Remedy::layout_of_input});
  if (best->info().kind == Kind::card_save) drop_helper_files(*parts);
  CardSaves found;
  walk_files(*session.storage, path, true, [&](const Path&, const FileInfo& info) {
    found.modified_ns = std::max(found.modified_ns, info.modified_ns);
  });
  auto save = best->read_folder(name, std::move(*parts));
  if (!save) return tl::unexpected(save.error());
  add_title_beside(*session.storage, path, *save);
  if (!save->modified) save->modified = seconds_of(found.modified_ns);
  found.details = best->details(*save);
  found.layout = best->info().id;
  found.saves.push_back(std::move(*save));
  return found;
}

Result<CardSaves> read_file(Session& session, const Path& path, const std::string& is) {
  const auto view = session.storage->view(path, kSaveLimit);
  if (!view) return tl::unexpected(view.error());
  Hints hints;
  hints.file_name = inner_name(path);
  hints.second_file = read_second_file(*session.storage, path);
  hints.thorough = true;
  const Layout* layout = nullptr;
  if (!is.empty()) {
    const auto said = find_layout(is);
    if (!said) return tl::unexpected(said.error());
    layout = *said;
  } else {
    const auto guesses = identify(view->bytes(), hints);
    for (const Guess& guess : guesses)
      if (guess.layout->info().kind == Kind::card_save &&
          guess.confidence != Confidence::possible) {
        layout = guess.layout;
        break;
      }
    if (layout == nullptr)
      return fail(Trouble::input, Code::no_match,
                  fmt::format("{}: is not a save of a memory card{}", safe_text(path.string()),
                              guesses.empty() ? std::string()
                                              : fmt::format(", but looks like {}",
                                                            guesses.front().layout->info().id)),
                  {"say what it is with ", Remedy::layout_of_input, " if you know better"});
  }
  const CardLayout* card = as_card(layout);
  // A pak read as a card; a package is one thing.
  auto content = card != nullptr && !card->card_info().package
                     ? card->CardLayout::read(view->bytes(), hints)
                     : layout->read(view->bytes(), hints);
  if (!content) {
    Error error = content.error();
    error.text = fmt::format("{}: {}", safe_text(path.string()), error.text);
    return tl::unexpected(error);
  }
  CardSaves found;
  found.layout = layout->info().id;
  found.saves = std::move(content->saves);
  found.findings = std::move(content->findings);
  if (const auto info = session.storage->info(path)) found.modified_ns = info->modified_ns;
  for (Save& save : found.saves)
    if (!save.modified && card == nullptr) save.modified = seconds_of(found.modified_ns);
  return found;
}

}  // namespace

Result<CardSaves> read_card_saves(Session& session, const std::string& text, const std::string& is,
                                  Hold hold) {
  const SaveAddress address = parse_address(session, text);
  if (!address.there)
    return fail(Trouble::input, Code::missing, fmt::format("{}: is not there", safe_text(text)),
                "name a file, a folder, or a save on a card as CARD:NAME");
  if (address.inside.empty())
    return is_folder(session, text) ? read_folder(session, text, is, hold)
                                    : read_file(session, text, is);
  const auto opened = open_card_of(session, address, is);
  if (!opened) return tl::unexpected(opened.error());
  const OpenCard& card = opened->card;
  auto content = card.layout->open(card.bytes());
  if (!content) return tl::unexpected(content.error());
  CardSaves found;
  found.layout = card.layout->info().id;
  found.findings = content->findings;
  if (const auto info = session.storage->info(card.path)) found.modified_ns = info->modified_ns;
  if (opened->name.empty()) {
    for (CardSave& on_card : content->saves) found.saves.push_back(std::move(on_card.save));
    return found;
  }
  const auto place = find_on_card(content->saves, opened->name, content->findings);
  if (!place) {
    Error error = place.error();
    error.text = fmt::format("{}: {}", safe_text(card.name), error.text);
    return tl::unexpected(error);
  }
  CardSave& chosen = content->saves[*place];
  found.findings = chosen.findings;
  found.saves.push_back(std::move(chosen.save));
  return found;
}

Result<CardSaves> read_saves_among(Session& session, const Path& place, const std::string& is) {
  const bool folder = session.storage->list(place).has_value();
  const Path root = folder ? place : archive_root(place);
  if (const auto listed = session.storage->list(root); !listed)
    return tl::unexpected(listed.error());
  CardSaves all;
  for (const WalkedFile& file : files_below(*session.storage, root)) {
    auto found = read_file(session, file.path(), is);
    if (!found || found->saves.size() != 1) continue;
    all.layout = found->layout;
    all.modified_ns = std::max(all.modified_ns, found->modified_ns);
    std::ranges::move(found->saves, std::back_inserter(all.saves));
    std::ranges::move(found->findings, std::back_inserter(all.findings));
  }
  if (all.saves.empty())
    return fail(
        Trouble::input, Code::no_match,
        fmt::format("{}: holds no save of a memory card", safe_text(place.string())),
        {"'", HintPiece{Remedy::look, safe_text(place.string())}, "' lists what is inside"});
  return all;
}

Result<std::vector<Save>> read_plain_files(Session& session, const std::string& text,
                                           System system) {
  std::vector<Save> saves;
  const auto add = [&](const Path& path, std::string name, std::int64_t modified_ns) {
    auto bytes = session.storage->read(path, kSaveLimit);
    if (!bytes) return bytes;
    Save save;
    save.system = system;
    save.kind = Kind::card_save;
    save.modified = seconds_of(modified_ns);
    save.parts.push_back({name, std::move(*bytes), false, {}});
    save.name = std::move(name);
    saves.push_back(std::move(save));
    return Result<Bytes>{};
  };
  const Path path = text;
  if (!is_folder(session, path)) {
    const auto info = session.storage->info(path);
    if (!info) return tl::unexpected(info.error());
    if (auto added = add(path, inner_name(path), info->modified_ns); !added)
      return tl::unexpected(added.error());
    return saves;
  }
  // The folder itself is a folder inside, too.
  std::error_code ignored;
  const Path root =
      std::filesystem::absolute(path / "", ignored).lexically_normal().parent_path().parent_path();
  Result<void> failed;
  walk_files(*session.storage, path, true, [&](const Path& file, const FileInfo& info) {
    if (!failed) return;
    const Path full = std::filesystem::absolute(file, ignored).lexically_normal();
    auto added = add(file, full.lexically_relative(root).generic_string(), info.modified_ns);
    if (!added) failed = tl::unexpected(added.error());
  });
  if (!failed) return tl::unexpected(failed.error());
  return saves;
}

Result<SaveFiles> plan_save(const Layout& layout, const Save& save, const Path& where) {
  SaveFiles planned;
  planned.shown = where;
  planned.layout = layout.info().id;
  if (const FolderLayout* folder = as_folder(&layout)) {
    auto parts = folder->write_folder(save);
    if (!parts) return tl::unexpected(parts.error());
    for (Part& part : *parts) {
      if (part.name.ends_with('/')) continue;
      Path file = where;
      for (const Path& piece : Path(part.name)) file /= safe_file_name(piece.string());
      planned.files.emplace_back(std::move(file), std::move(part.data));
    }
    return planned;
  }
  auto written = layout.write({std::span(&save, 1), std::nullopt, {}});
  if (!written) return tl::unexpected(written.error());
  planned.losses = std::move(written->losses);
  planned.notes = std::move(written->notes);
  planned.files.emplace_back(where, std::move(written->bytes));
  if (!written->second_file.empty())
    planned.files.emplace_back(where.string() + layout.info().second_file,
                               std::move(written->second_file));
  return planned;
}

}  // namespace bayswap
