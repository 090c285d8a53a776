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
    if (!info && file.after) return true;
    if (!info || info->modified_ns == file.after_modified_ns) continue;
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

Digest CardVersions::stands_for(const Save& save) {
  std::vector<const Part*> files;
  for (const Part& part : save.parts)
    if (!part.name.ends_with('/')) files.push_back(&part);
  std::ranges::sort(files, {}, [](const Part* part) { return part->name; });
  Bytes all;
  const auto add = [&](ByteView bytes) {
    const std::string size = std::to_string(bytes.size()) + ':';
    all.insert(all.end(), as_bytes(size).begin(), as_bytes(size).end());
    all.insert(all.end(), bytes.begin(), bytes.end());
  };
  add(as_bytes(save.name));
  for (const Part* file : files) {
    add(as_bytes(file->name));
    add(file->data);
  }
  return version_digest(all);
}

std::optional<Digest> CardVersions::save_on(const History& history, const CardLayout& layout,
                                            const std::optional<Digest>& card,
                                            const std::string& identity) {
  if (!card) return std::nullopt;
  const auto [known, fresh] = known_.try_emplace(*card);
  if (fresh)
    if (const auto content = history.content(*card))
      if (const auto opened = layout.open(*content))
        for (const CardSave& save : opened->saves)
          known->second.emplace(layout.identity(save.save), stands_for(save.save));
  const auto found = known->second.find(identity);
  return found == known->second.end() ? std::nullopt : std::optional(found->second);
}

SinceEqual card_since_equal(const History& history, CardVersions& versions,
                            const CardLayout& layout, const Path& card, const Save& there,
                            const Source& source) {
  if (source.files.size() != 1) return {};
  const std::string identity = layout.identity(there);
  for (const History::Carried& carried : carries(history, card, source.files.front())) {
    if (carried.files.empty()) continue;
    const auto* written = as_card(layouts().find(
        carried.towards || source.layouts.empty() ? layout.info().id : source.layouts.front()));
    if (written == nullptr) return {};
    // A move between the cards may have carried another save.
    const History::Carried::File& file = carried.files.front();
    const auto after = versions.save_on(history, *written, file.after, identity);
    if (!after || versions.save_on(history, *written, file.before, identity) == after) continue;
    return {true, CardVersions::stands_for(there) != after,
            CardVersions::stands_for(source.save) != after};
  }
  return {};
}

std::uint64_t bytes_of(const Save& save) {
  std::uint64_t bytes = 0;
  for (const Part& part : save.parts) bytes += part.size();
  return bytes;
}

Finding both_changed(const Path& there, std::int64_t modified_ns, std::uint64_t size,
                     const Source& source) {
  return {
      Level::error,
      Code::both_changed,
      fmt::format("both changed since they were last equal: {} ({} UTC, {}) and {} ({} UTC, {})",
                  safe_text(there.string()), utc_text(modified_ns), size_text(size),
                  safe_text(source.shown()), utc_text(source.modified_ns),
                  size_text(bytes_of(source.save))),
      {"look at both and choose: to keep the one that is carried, ",
       accept_remedy(Code::both_changed), " (the other stays in history)"}};
}

}  // namespace bayswap
