#include "core/layouts/saturn/saturn_single.h"

#include <fmt/core.h>

#include "core/bytes/cursor.h"
#include "core/layouts/common/single_save.h"
#include "core/layouts/saturn/saturn_format.h"

namespace bayswap {

using namespace saturn;

SaturnSingleLayout::SaturnSingleLayout() {
  info_ = {"saturn-single",          System::saturn,
           Kind::card_save,          "one save of backup memory, its header in front",
           {std::string(kDataPart)}, {}};
}

std::optional<Match> SaturnSingleLayout::recognise(ByteView file, const Hints& /*hints*/) const {
  if (file.size() <= kHeaderSize || !is_plausible_header(file.first(kHeaderSize), kCartridge) ||
      Cursor(file).u32be(kSize) != file.size() - kHeaderSize)
    return std::nullopt;
  return Match{Confidence::certain, "a save's header of the same length stands in front",
               Basis::structure};
}

Result<Content> SaturnSingleLayout::read(ByteView file, const Hints& /*hints*/) const {
  if (file.size() <= kHeaderSize)
    return fail(Trouble::input, Code::wrong_size,
                fmt::format("{} bytes are too few for a save's header and its data", file.size()),
                "copy it again; it may be cut short");
  if (!is_plausible_header(file.first(kHeaderSize), kCartridge))
    return fail(Trouble::input, Code::damaged, "its first 30 bytes are no header of a save",
                {"'", Remedy::look, "' says what the file is"});
  const ByteView data = file.subspan(kHeaderSize);
  Content content;
  content.saves.push_back(make_save(file.first(kHeaderSize), Bytes(data.begin(), data.end())));
  if (const std::uint32_t size = Cursor(file).u32be(kSize); size != data.size())
    content.findings.push_back(
        {Level::error, Code::damaged,
         fmt::format("its header says {} bytes, {} are there", size, data.size()),
         "copy it again; it may be cut short"});
  return content;
}

Result<Written> SaturnSingleLayout::write(const WriteRequest& request) const {
  const auto save = only_save(request, info_);
  if (!save) return tl::unexpected(save.error());
  Written written;
  written.bytes = header_for(**save);
  const Bytes& data = (*save)->parts.front().data;
  written.bytes.insert(written.bytes.end(), data.begin(), data.end());
  return written;
}

}  // namespace bayswap
