#include "moves/last_equal.h"

#include <fmt/core.h>

#include <algorithm>

#include "core/bytes/text.h"
#include "core/bytes/time_text.h"
#include "moves/folder_source.h"

namespace bayswap {
namespace {

std::string recorded_path(const Path& path) {
  std::error_code failed;
  const Path full = std::filesystem::absolute(path, failed);
  return (failed ? path : full).lexically_normal().string();
}

// The carries between two places, newest first; none where history can't be read.
std::vector<History::Carried> carries(const History& history, const Path& there, const Path& here) {
  constexpr std::size_t kMost = 20;  // a card of many saves has a move for each
  auto found = history.carries_between(recorded_path(there), recorded_path(here), kMost);
  return found ? std::move(*found) : std::vector<History::Carried>{};
}

// Whether files of a folder are not as a move left them.
bool went_on(Storage& storage, const Path& folder, const History::Carried& carried) {
  for (const History::Carried::File& file : carried.files) {
    const auto info = storage.info(file.path);
    if (!info) return file.after.has_value();
    if (info->modified_ns == file.after_modified_ns) continue;
    const auto now = version_at(storage, file.path);
    if (!now || now->digest != file.after) return true;
  }
  const auto seen = files_seen(storage, folder);
  if (!seen) return true;
  const std::string below = recorded_path(folder);
  return std::ranges::any_of(*seen, [&](const auto& file) {
    const std::string path = below + "/" + file.first;
    const bool written = std::ranges::any_of(
        carried.files, [&](const History::Carried::File& known) { return known.path == path; });
    return !written && file.second.info.modified_ns > carried.time_ns;
  });
}

std::optional<Save> save_on(const CardLayout& layout, ByteView card, const std::string& identity) {
  auto opened = layout.open(card);
  if (!opened) return std::nullopt;
  for (CardSave& on_card : opened->saves)
    if (layout.identity(on_card.save) == identity) return std::move(on_card.save);
  return std::nullopt;
}

std::optional<Save> save_in(const History& history, const CardLayout& layout,
                            const std::optional<Digest>& version, const std::string& identity) {
  if (!version) return std::nullopt;
  const auto card = history.content(*version);
  return card ? save_on(layout, *card, identity) : std::nullopt;
}

}  // namespace

std::string recorded_source(const Source& source) {
  std::vector<std::string> names;
  for (const Path& file : source.files) names.push_back(recorded_path(file));
  return names.empty() ? source.stem : list_text(names);
}

SinceEqual file_since_equal(const History& history, const Path& there, const Digest& now,
                            std::int64_t modified_ns, const Digest& becomes, const Source& source) {
  if (source.files.size() != 1) return {};
  for (const History::Carried& carried : carries(history, there, source.files.front())) {
    const auto file = std::ranges::find(
        carried.files, recorded_path(carried.towards ? there : source.files.front()),
        &History::Carried::File::path);
    if (file == carried.files.end()) continue;
    if (carried.towards)
      return {true, file->after != now,
              file->after != becomes && source.modified_ns != carried.source_modified_ns};
    return {true, modified_ns != carried.source_modified_ns,
            source.modified_ns != file->after_modified_ns};
  }
  return {};
}

SinceEqual folder_since_equal(const History& history, Storage& storage, const Path& there,
                              const Source& source) {
  if (source.files.size() != 1) return {};
  const Path& here = source.files.front();
  const auto known = carries(history, there, here);
  if (known.empty()) return {};
  const History::Carried& last = known.front();
  if (last.towards)
    return {true, went_on(storage, there, last), source.modified_ns != last.source_modified_ns};
  return {true, newest_below(storage, there) != last.source_modified_ns,
          went_on(storage, here, last)};
}

SinceEqual card_since_equal(const History& history, const CardLayout& layout, const Path& card,
                            const Save& there, const Source& source) {
  if (source.files.size() != 1) return {};
  const std::string identity = layout.identity(there);
  for (const History::Carried& carried : carries(history, card, source.files.front())) {
    if (carried.files.empty()) continue;
    const auto* written = as_card(layouts().find(
        carried.towards || source.layouts.empty() ? layout.info().id : source.layouts.front()));
    if (written == nullptr) return {};
    // A move between the cards may have carried another save.
    const auto after = save_in(history, *written, carried.files.front().after, identity);
    const auto before = save_in(history, *written, carried.files.front().before, identity);
    if (!after || (before && same_card_save(*before, *after))) continue;
    return {true, !same_card_save(there, *after), !same_card_save(source.save, *after)};
  }
  return {};
}

Finding both_changed(const Path& there, std::int64_t modified_ns, std::uint64_t size,
                     const Source& source) {
  std::uint64_t here = 0;
  for (const Part& part : source.save.parts) here += part.size();
  return {
      Level::error,
      Code::both_changed,
      fmt::format("both changed since they were last equal: {} ({} UTC, {}) and {} ({} UTC, {})",
                  safe_text(there.string()), utc_text(modified_ns), size_text(size),
                  safe_text(source.shown()), utc_text(source.modified_ns), size_text(here)),
      {"look at both and choose: to keep the one that is carried, ",
       accept_remedy(Code::both_changed), " (the other stays in history)"}};
}

}  // namespace bayswap
