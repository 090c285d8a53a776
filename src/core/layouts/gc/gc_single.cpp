#include "core/layouts/gc/gc_single.h"

#include <fmt/core.h>

#include <algorithm>

#include "core/layouts/common/card_errors.h"
#include "core/layouts/common/single_save.h"
#include "core/layouts/gc/gc_format.h"

namespace bayswap {

using namespace gc;

GcSingleLayout::GcSingleLayout() {
  info_ = {"gc-single",
           System::gc,
           Kind::card_save,
           "one save of a card, its directory entry in front",
           {std::string(kDataPart)},
           {kEntrySize + kBlockSize}};
}

std::optional<Match> GcSingleLayout::recognise(ByteView file, const Hints& /*hints*/) const {
  if (file.size() < kEntrySize + kBlockSize || (file.size() - kEntrySize) % kBlockSize != 0 ||
      !is_entry(file.first(kEntrySize)) || file[6] != std::byte{0xFF})
    return std::nullopt;
  const Entry entry = parse_entry(file.first(kEntrySize));
  if (entry.blocks != (file.size() - kEntrySize) / kBlockSize) return std::nullopt;
  return Match{Confidence::certain, "a directory entry of the same length stands in front",
               Basis::structure};
}

Result<Content> GcSingleLayout::read(ByteView file, const Hints& /*hints*/) const {
  if (file.size() < kEntrySize + kBlockSize || (file.size() - kEntrySize) % kBlockSize != 0)
    return fail(
        Trouble::input, Code::wrong_size,
        fmt::format("{} bytes are not a directory entry and whole blocks of 8 KiB", file.size()),
        "copy it again; it may be cut short");
  const ByteView entry = file.first(kEntrySize);
  if (!is_entry(entry))
    return fail(Trouble::input, Code::damaged, "its directory entry makes no sense",
                {"'", Remedy::look, "' says what the file is"});
  const ByteView data = file.subspan(kEntrySize);
  // The card says how text is stored; on its own, a save of a Japanese game is taken to be in that
  // country's code.
  const Entry parsed = parse_entry(entry);
  const bool shift_jis = parsed.code.ends_with('J');
  Content content;
  content.saves.push_back(make_save(entry, Bytes(data.begin(), data.end()), shift_jis));
  if (parsed.blocks != data.size() / kBlockSize)
    content.findings.push_back({Level::error, Code::damaged,
                                fmt::format("its directory entry says {} blocks, {} are there",
                                            parsed.blocks, data.size() / kBlockSize),
                                "copy it again; it may be cut short"});
  return content;
}

Result<Written> GcSingleLayout::write(const WriteRequest& request) const {
  const auto save = only_save(request, info_);
  if (!save) return tl::unexpected(save.error());
  const Bytes& data = (*save)->parts.front().data;
  if (data.empty() || data.size() % kBlockSize != 0 || data.size() / kBlockSize > 0xFFFF)
    return tl::unexpected(
        wrong_save(**save, fmt::format("{} bytes are not whole blocks of 8 KiB", data.size())));
  Written written;
  written.bytes = entry_for(**save);
  written.bytes.insert(written.bytes.end(), data.begin(), data.end());
  return written;
}

}  // namespace bayswap
