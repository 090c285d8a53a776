#include "core/layouts/n64/n64_pak_note.h"

#include <fmt/core.h>

#include "core/layouts/common/card_errors.h"
#include "core/layouts/common/single_save.h"
#include "core/layouts/n64/n64_pak_format.h"

namespace bayswap {
namespace {

using namespace n64;

bool is_sized(std::uint64_t size) {
  return size > kNoteSize && (size - kNoteSize) % kPageSize == 0 &&
         (size - kNoteSize) / kPageSize <= kPages;
}

}  // namespace

N64PakNoteLayout::N64PakNoteLayout() {
  info_ = {"n64-pak-note",           System::n64,
           Kind::card_save,          "one note of a controller pak, its entry in front",
           {std::string(kDataPart)}, {kNoteSize + kPageSize}};
}

std::optional<Match> N64PakNoteLayout::recognise(ByteView file, const Hints& /*hints*/) const {
  if (!is_sized(file.size()) || !note_in_use(file.first(kNoteSize))) return std::nullopt;
  if (is_plausible_note(file.first(kNoteSize)))
    return Match{Confidence::certain, "a note's entry stands in front of whole pages",
                 Basis::structure};
  // Notes of devices have codes that are no letters.
  const std::string name = note_name(file.first(kNoteSize));
  if (name.empty() || name.find("\xEF\xBF\xBD") != std::string::npos) return std::nullopt;
  return Match{Confidence::possible, "it may be a note's entry and its pages", Basis::size};
}

Result<Content> N64PakNoteLayout::read(ByteView file, const Hints& /*hints*/) const {
  if (!is_sized(file.size()))
    return fail(
        Trouble::input, Code::wrong_size,
        fmt::format("{} bytes are not a note's entry and whole pages of 256 bytes", file.size()),
        "copy it again; it may be cut short");
  const ByteView note = file.first(kNoteSize);
  if (!note_in_use(note))
    return fail(Trouble::input, Code::damaged, "its first 32 bytes are no entry of a note in use",
                {"'", Remedy::look, "' says what the file is"});
  const ByteView data = file.subspan(kNoteSize);
  Content content;
  content.saves.push_back(make_save(note, Bytes(data.begin(), data.end())));
  return content;
}

Result<Written> N64PakNoteLayout::write(const WriteRequest& request) const {
  const auto save = only_save(request, info_);
  if (!save) return tl::unexpected(save.error());
  const Bytes& data = (*save)->parts.front().data;
  if (!is_sized(kNoteSize + data.size()))
    return tl::unexpected(wrong_save(
        **save, fmt::format("{} bytes are not 1 to 123 pages of 256 bytes", data.size())));
  const auto note = note_for(**save);
  if (!note)
    return tl::unexpected(
        wrong_save(**save, "its name has letters that a controller pak does not know"));
  Written written;
  written.bytes = *note;
  written.bytes.insert(written.bytes.end(), data.begin(), data.end());
  return written;
}

}  // namespace bayswap
