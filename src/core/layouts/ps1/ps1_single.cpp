#include "core/layouts/ps1/ps1_single.h"

#include <fmt/core.h>

#include "core/bytes/cursor.h"
#include "core/layouts/common/card_errors.h"
#include "core/layouts/common/single_save.h"
#include "core/layouts/ps1/ps1_format.h"

namespace bayswap {

using namespace ps1;

Ps1SingleLayout::Ps1SingleLayout(bool with_frame)
    : with_frame_(with_frame), frame_size_(with_frame ? kFrameSize : 0) {
  info_ = {with_frame ? "ps1-single" : "ps1-single-raw",
           System::ps1,
           Kind::card_save,
           with_frame ? "one save of a card, its directory frame in front"
                      : "one save of a card, its blocks alone",
           {std::string(kDataPart)},
           {}};
  for (std::size_t blocks = 1; blocks <= kBlocks; ++blocks)
    info_.file_sizes.push_back(frame_size_ + blocks * kBlockSize);
}

std::optional<Match> Ps1SingleLayout::recognise(ByteView file, const Hints& /*hints*/) const {
  if (file.size() < frame_size_ + kBlockSize || (file.size() - frame_size_) % kBlockSize != 0 ||
      file.size() > frame_size_ + kBlocks * kBlockSize)
    return std::nullopt;
  const ByteView data = file.subspan(frame_size_);
  const bool begins = is_save_start(data);
  const bool counted = begins && own_block_count(data) == data.size() / kBlockSize;
  if (!with_frame_) {
    if (!begins) return std::nullopt;
    return Match{
        counted ? Confidence::certain : Confidence::likely,
        counted ? "it begins as a save and has the length that it says" : "it begins as a save",
        Basis::structure};
  }
  const DirectoryFrame frame = parse_frame(file.first(kFrameSize));
  if (frame.state != kFirst || frame.size != data.size()) return std::nullopt;
  return Match{begins ? Confidence::certain : Confidence::likely,
               "a directory frame of the same length stands in front", Basis::structure};
}

Result<Content> Ps1SingleLayout::read(ByteView file, const Hints& hints) const {
  if (file.size() < frame_size_ + kBlockSize || (file.size() - frame_size_) % kBlockSize != 0 ||
      file.size() > frame_size_ + kBlocks * kBlockSize)
    return fail(Trouble::input, Code::wrong_size,
                fmt::format("{} bytes are not 1 to 15 blocks of 8 KiB{}", file.size(),
                            with_frame_ ? " behind a directory frame" : ""),
                "copy it again; it may be cut short");
  const std::uint32_t state = parse_frame(file.first(kFrameSize)).state;
  if (with_frame_ && state != kFirst && state != kDeletedFirst)
    return fail(Trouble::input, Code::damaged,
                "its first 128 bytes are no directory frame of a save",
                {"'", Remedy::look, "' says what the file is"});
  Content content;
  const ByteView data = file.subspan(frame_size_);
  Bytes frame;
  if (with_frame_) {
    frame.assign(file.begin(), file.begin() + kFrameSize);
  } else {
    Save named;
    named.name = name_from_file(hints, kNameLength);
    frame = frame_for(named);
    store_le(std::span(frame).subspan(kSize, 4), data.size());
    seal_frame(frame);
  }
  content.saves.push_back(make_save(frame, Bytes(data.begin(), data.end())));
  if (with_frame_ && parse_frame(frame).size != data.size())
    content.findings.push_back({Level::error, Code::damaged,
                                fmt::format("its directory frame says {} bytes, {} are there",
                                            parse_frame(frame).size, data.size()),
                                "copy it again; it may be cut short"});
  return content;
}

Result<Written> Ps1SingleLayout::write(const WriteRequest& request) const {
  const auto save = only_save(request, info_);
  if (!save) return tl::unexpected(save.error());
  const Bytes& data = (*save)->parts.front().data;
  if (data.empty() || data.size() % kBlockSize != 0 || data.size() > kBlocks * kBlockSize)
    return tl::unexpected(
        wrong_save(**save, fmt::format("{} bytes are not 1 to 15 blocks of 8 KiB", data.size())));
  Written written;
  if (with_frame_) {
    const bool as_it_was = (*save)->entry.size() == kFrameSize &&
                           parse_frame((*save)->entry).name == (*save)->name &&
                           parse_frame((*save)->entry).size == data.size() &&
                           parse_frame((*save)->entry).state == kFirst;
    written.bytes = as_it_was ? (*save)->entry : frame_for(**save);
  }
  written.bytes.insert(written.bytes.end(), data.begin(), data.end());
  return written;
}

}  // namespace bayswap
