#include "core/layouts/ps2/ps2_single.h"

#include <fmt/core.h>

#include <algorithm>

#include "core/bytes/cursor.h"
#include "core/bytes/fill.h"
#include "core/bytes/text.h"
#include "core/layouts/common/single_save.h"
#include "core/layouts/ps2/ps2_format.h"
#include "core/layouts/ps2/ps2_volume.h"
#include "core/layouts/titles/path_text.h"
#include "core/model/sony_names.h"

namespace bayswap {
namespace {

using namespace ps2;

constexpr std::size_t kRecord = 3 * kEntrySize;

std::size_t padded_size(std::uint32_t length) {
  return std::size_t{file_clusters(length)} * kClusterSize;
}

bool begins_as_single(ByteView file) {
  if (file.size() < kRecord) return false;
  // Asked of every file, and this byte tells of nearly all of them.
  if (file[kEntrySize + kName] != std::byte{'.'}) return false;
  const Entry own = parse_entry(file.first(kEntrySize));
  if (!own.directory()) return false;
  return own.length >= 2 && !own.name.empty() &&
         parse_entry(file.subspan(kEntrySize, kEntrySize)).name == "." &&
         parse_entry(file.subspan(2 * kEntrySize, kEntrySize)).name == "..";
}

void append(Bytes& to, ByteView bytes) {
  to.insert(to.end(), bytes.begin(), bytes.end());
}

std::uint64_t length_there(ByteView record) {
  return record.size() >= kEntrySize ? parse_entry(record.first(kEntrySize)).length : 0;
}

}  // namespace

Ps2SingleLayout::Ps2SingleLayout() {
  info_ = {
      "ps2-single", System::ps2, Kind::card_save, "one save of a card, entries and files in a row",
      {},           {}};
}

std::optional<Match> Ps2SingleLayout::recognise(ByteView file, const Hints& /*hints*/) const {
  if (!begins_as_single(file)) return std::nullopt;
  return Match{Confidence::certain, "it begins with a save's directory", Basis::structure};
}

Result<Content> Ps2SingleLayout::read(ByteView file, const Hints& /*hints*/) const {
  if (!begins_as_single(file))
    return fail(Trouble::input, Code::damaged, "it does not begin with a save's directory",
                {"'", Remedy::look, "' says what the file is"});
  Content content;
  Save save;
  save.entry.assign(file.begin(), file.begin() + kRecord);
  const Entry own = parse_entry(file.first(kEntrySize));
  save.name = own.name;
  std::size_t at = kRecord;
  for (std::uint32_t i = 2; i < own.length; ++i) {
    const auto raw = slice(file, at, kEntrySize);
    if (!raw) {
      content.findings.push_back(
          {Level::error, Code::damaged,
           fmt::format("cut short: {} of its {} files are there", i - 2, own.length - 2),
           "copy it again"});
      break;
    }
    const Entry entry = parse_entry(*raw);
    at += kEntrySize;
    const std::size_t padded = padded_size(entry.length);
    const ByteView rest = file.subspan(at);
    const ByteView held = rest.first(std::min(padded, rest.size()));
    const std::size_t size = std::min<std::size_t>(entry.length, held.size());
    Part part{entry.name, Bytes(held.begin(), held.begin() + static_cast<std::ptrdiff_t>(size)),
              false, Bytes(raw->begin(), raw->end())};
    part.blank = is_erased(part.data);
    // What stands behind the data up to the cluster's end is kept when it is not just zeros.
    if (!is_filled(held.subspan(size), kErasedZero)) append(part.entry, held.subspan(size));
    at += held.size();
    save.parts.push_back(std::move(part));
    if (size < entry.length) {
      content.findings.push_back({Level::error, Code::damaged,
                                  fmt::format("cut short: {} has {} of its {} bytes", entry.name,
                                              grouped(size), grouped(entry.length)),
                                  "copy it again"});
      break;
    }
  }
  content.trailer.assign(file.begin() + static_cast<std::ptrdiff_t>(std::min(at, file.size())),
                         file.end());
  describe(save);
  content.saves.push_back(std::move(save));
  return content;
}

Result<Written> Ps2SingleLayout::write(const WriteRequest& request) const {
  const auto found = only_save(request, info_);
  if (!found) return tl::unexpected(found.error());
  const Save& save = **found;
  Written written;
  std::vector<const Part*> files;
  for (const Part& part : save.parts) {
    if (part.name.find('/') == std::string::npos)
      files.push_back(&part);
    else
      written.losses.push_back(
          {Level::error, Code::loses_parts,
           fmt::format("{}: {} cannot hold folders inside a save", safe_text(part.name), info_.id),
           "keep it as ps2-folder, or on a card"});
  }
  const std::uint64_t entries = files.size() + 2;
  const ByteView record(save.entry);
  const bool as_it_was = record.size() >= kRecord && length_there(record) == entries &&
                         parse_entry(record.first(kEntrySize)).name == save.name &&
                         parse_entry(record.first(kEntrySize)).exists();
  if (as_it_was) {
    append(written.bytes, record.first(kRecord));
  } else {
    const ByteView own = record.size() >= kEntrySize ? record.first(kEntrySize) : ByteView{};
    append(written.bytes,
           entry_for(own, kUsualDirectory, entries, own.empty() ? 0 : parse_entry(own).cluster,
                     save.name, save.modified));
    append(written.bytes, entry_for({}, kUsualDirectory, 0, 0, ".", save.modified));
    append(written.bytes, entry_for({}, kUsualDirectory, 0, 0, "..", save.modified));
  }
  for (const Part* part : files) {
    const ByteView like = ByteView(part->entry).first(std::min(part->entry.size(), kEntrySize));
    append(written.bytes,
           entry_for(like, kUsualFile, part->data.size(),
                     like.empty() ? 0 : parse_entry(like).cluster, part->name, save.modified));
    append(written.bytes, part->data);
    Bytes slack(padded_size(static_cast<std::uint32_t>(part->data.size())) - part->data.size());
    if (part->entry.size() == kEntrySize + slack.size())
      std::ranges::copy(ByteView(part->entry).subspan(kEntrySize), slack.begin());
    append(written.bytes, slack);
  }
  if (request.mould) {
    const auto old = read(*request.mould, request.hints);
    if (old) append(written.bytes, old->trailer);
  }
  return written;
}

Ps2FolderLayout::Ps2FolderLayout() {
  info_ = {"ps2-folder", System::ps2, Kind::card_save, "one save of a card as a folder of files",
           {},           {}};
}

std::optional<Match> Ps2FolderLayout::recognise_folder(const std::string& path,
                                                       const std::vector<Part>& files) const {
  const bool named = split_sony_name(last_name(path)).has_value();
  for (const Part& part : files)
    if (part.name == "icon.sys" && part.data.size() > 4 &&
        ascii_text(ByteView(part.data).first(4)) == "PS2D")
      return Match{Confidence::certain, "its icon.sys is a ps2 save's", Basis::structure};
  if (named && !files.empty())
    return Match{Confidence::possible, "it is named as saves on cards are", Basis::size};
  return std::nullopt;
}

std::optional<std::string> Ps2FolderLayout::pattern_of(std::string_view relative,
                                                       const Save& save) const {
  std::vector<std::string> names = names_in(relative);
  if (names.empty() || names.back() != save.name || !split_sony_name(save.name))
    return std::nullopt;
  for (std::string& name : names) name = literal_text(name);
  names.back() = "{label}";
  return joined(names);
}

Result<Save> Ps2FolderLayout::read_folder(const std::string& path, std::vector<Part> files) const {
  if (files.empty())
    return fail(Trouble::input, Code::no_match, "the folder is empty",
                "name the save's own folder");
  Save save;
  save.name = last_name(path);
  save.parts = std::move(files);
  for (Part& part : save.parts) part.blank = is_erased(part.data);
  describe(save);
  return save;
}

}  // namespace bayswap
