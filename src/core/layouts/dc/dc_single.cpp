#include "core/layouts/dc/dc_single.h"

#include <fmt/core.h>

#include "core/bytes/cursor.h"
#include "core/layouts/common/card_errors.h"
#include "core/layouts/common/single_save.h"
#include "core/layouts/dc/dc_format.h"

namespace bayswap {
namespace {

using namespace dc;

bool is_sized(std::uint64_t size) {
  return size > 0 && size % kBlockSize == 0 && size <= kMostBlocks * kBlockSize;
}

bool is_entry_of(ByteView entry, ByteView data) {
  if (entry.size() != kEntrySize) return false;
  const Entry parsed = parse_entry(entry);
  return parsed.in_use() && parsed.blocks == data.size() / kBlockSize;
}

}  // namespace

DcSingleLayout::DcSingleLayout() {
  info_ = {"dc-single",
           System::dc,
           Kind::card_save,
           "one save of a card, its blocks alone",
           {std::string(kDataPart)},
           {kBlockSize},
           ".entry"};
}

std::optional<Match> DcSingleLayout::recognise(ByteView file, const Hints& hints) const {
  if (!is_sized(file.size())) return std::nullopt;
  if (is_entry_of(hints.second_file, file))
    return Match{Confidence::certain, "a directory entry of the same length lies beside it",
                 Basis::structure};
  for (const std::size_t start : {std::size_t{0}, kBlockSize})
    if (const auto header = parse_header(file, start)) {
      if (header->check_holds)
        return Match{Confidence::certain, "its header is a save's, and its check holds",
                     Basis::structure};
      const bool fills = start + header->checked + kBlockSize > file.size() && header->icons > 0;
      if (fills && start == 0)
        return Match{Confidence::possible, "its header could be a save's", Basis::size};
    }
  return std::nullopt;
}

Result<Content> DcSingleLayout::read(ByteView file, const Hints& hints) const {
  if (!is_sized(file.size()))
    return fail(Trouble::input, Code::wrong_size,
                fmt::format("{} bytes are not whole blocks of 512 bytes", file.size()),
                "copy it again; it may be cut short");
  Content content;
  Save save;
  save.parts.push_back({std::string(kDataPart), Bytes(file.begin(), file.end()), false, {}});
  if (is_entry_of(hints.second_file, file)) {
    save.entry = hints.second_file;
  } else {
    save.name = name_from_file(hints, kNameLength);
    save.entry = entry_for(save);
    if (!hints.second_file.empty())
      content.findings.push_back(
          {Level::warn, Code::companion,
           "the file beside it is not a directory entry of this save, so its "
           "name comes from the file's",
           ""});
  }
  content.saves.push_back(make_save(save.entry, std::move(save.parts.front().data)));
  if (const std::string failed = failed_check(content.saves.front()); !failed.empty())
    content.findings.push_back({Level::error, Code::damaged, failed, "copy it again"});
  return content;
}

Result<Written> DcSingleLayout::write(const WriteRequest& request) const {
  const auto save = only_save(request, info_);
  if (!save) return tl::unexpected(save.error());
  const Bytes& data = (*save)->parts.front().data;
  if (!is_sized(data.size()))
    return tl::unexpected(
        wrong_save(**save, fmt::format("{} bytes are not whole blocks of 512 bytes", data.size())));
  Written written;
  written.bytes = data;
  written.second_file = entry_for(**save);
  return written;
}

}  // namespace bayswap
