#include "core/layouts/pce/pce_single.h"

#include <fmt/core.h>

#include "core/bytes/cursor.h"
#include "core/layouts/common/single_save.h"
#include "core/layouts/pce/pce_format.h"

namespace bayswap {

using namespace pce;

PceSingleLayout::PceSingleLayout() {
  info_ = {"pce-single",
           System::pce,
           Kind::card_save,
           "one entry of backup memory",
           {std::string(kDataPart)},
           {}};
}

std::optional<Match> PceSingleLayout::recognise(ByteView file, const Hints& /*hints*/) const {
  if (file.size() < kEntryHeader || Cursor(file).u16le(kSize) != file.size()) return std::nullopt;
  if (entry_holds(file))
    return Match{Confidence::certain, "it has an entry's size and its check holds",
                 Basis::structure};
  return Match{Confidence::possible, "it has the size that an entry would say", Basis::size};
}

Result<Content> PceSingleLayout::read(ByteView file, const Hints& /*hints*/) const {
  if (file.size() < kEntryHeader || file.size() > 0xFFFF)
    return fail(Trouble::input, Code::wrong_size,
                fmt::format("{} bytes are no entry of pce backup memory", file.size()),
                "copy it again; it may be cut short");
  Content content;
  content.saves.push_back(make_save(file));
  if (!entry_holds(file))
    content.findings.push_back({Level::error, Code::damaged,
                                Cursor(file).u16le(kSize) == file.size()
                                    ? "its check fails: some of its bytes are wrong"
                                    : fmt::format("its header says {} bytes, {} are there",
                                                  Cursor(file).u16le(kSize), file.size()),
                                "copy it again; it may be cut short"});
  return content;
}

Result<Written> PceSingleLayout::write(const WriteRequest& request) const {
  const auto save = only_save(request, info_);
  if (!save) return tl::unexpected(save.error());
  return Written{entry_for(**save), {}, {}, {}};
}

}  // namespace bayswap
