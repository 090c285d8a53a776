#include "cli/render/state.h"

#include <fmt/core.h>

#include <algorithm>
#include <array>

#include "cli/render/picture.h"
#include "cli/render/slot_board.h"
#include "cli/render/text.h"
#include "core/bytes/text.h"

namespace bayswap::cli {
namespace {

constexpr std::size_t kCellsAcross = 10;
constexpr std::size_t kPictureLines = 4;

std::vector<std::string> picture_of(const StateSlot* slot, std::size_t width, const Style& style) {
  const std::string blank(width, ' ');
  std::vector<std::string> lines;
  if (slot != nullptr && slot->info.picture && style.colour()) {
    const Picture& whole = *slot->info.picture;
    // A line holds two rows of pixels.
    auto side = static_cast<std::uint32_t>(width);
    const auto high = static_cast<std::uint32_t>(2 * kPictureLines);
    if (whole.height > 0 && whole.width * high < side * whole.height && whole.height > whole.width)
      side = high;
    lines = picture_lines(fitted(whole, side), width);
  }
  if (lines.size() > kPictureLines) lines.resize(kPictureLines);
  if (lines.empty() && slot != nullptr) {
    const std::string box = fmt::format("{:·<{}}", "", width);
    for (std::size_t i = 0; i < kPictureLines; ++i) lines.push_back(style.paint(Tone::quiet, box));
  }
  lines.resize(kPictureLines, blank);
  return lines;
}

// `116 KiB`: a cell is narrow.
std::string rough_size(std::uint64_t size) {
  constexpr std::uint64_t kUnit = 1024;
  if (size < kUnit) return size_text(size);
  const std::uint64_t unit = size < kUnit * kUnit ? kUnit : kUnit * kUnit;
  return size_text((size + unit / 2) / unit * unit);
}

struct SlotCell {
  std::vector<std::string> lines;  // each as wide as the cell
};

SlotCell slot_cell(const StateSlot* slot, unsigned number, std::size_t width, bool pictures,
                   const Style& style) {
  SlotCell cell;
  const bool numbered = slot == nullptr || !slot->slot.empty();
  const std::string name = numbered ? std::to_string(number) : std::string("-");
  cell.lines.push_back(
      style.paint(slot == nullptr ? Tone::quiet : Tone::title, padded(name, width)));
  if (pictures)
    for (std::string& line : picture_of(slot, width, style)) cell.lines.push_back(std::move(line));
  const auto add = [&](Tone tone, const std::string& text) {
    cell.lines.push_back(style.paint(tone, padded(style.fitted(text, width), width)));
  };
  const std::string day = slot == nullptr ? "" : day_text(slot->modified_ns);
  const bool narrow = day.size() > width;
  add(Tone::plain, narrow ? day.substr(2) : day);
  add(Tone::plain, slot == nullptr ? "" : clock_text(slot->modified_ns));
  if (slot != nullptr && !slot->findings.empty())
    add(Tone::bad, "damaged");
  else
    add(Tone::quiet, slot == nullptr ? "" : rough_size(slot->size));
  return cell;
}

std::string row_text(const std::vector<const StateSlot*>& row, unsigned first, std::size_t width,
                     bool pictures, const Style& style) {
  std::vector<SlotCell> cells;
  for (std::size_t i = 0; i < row.size(); ++i)
    cells.push_back(slot_cell(row[i], first + static_cast<unsigned>(i), width, pictures, style));
  std::string text;
  for (std::size_t line = 0; line < cells.front().lines.size(); ++line) {
    std::string whole = "  ";
    for (const SlotCell& cell : cells) whole += cell.lines[line] + " ";
    while (whole.ends_with(' ')) whole.pop_back();
    text += whole + "\n";
  }
  return text;
}

}  // namespace

std::string boards_text(const std::vector<SlotBoard>& boards, const Style& style) {
  const std::size_t width = std::clamp<std::size_t>((style.width() - 2) / kCellsAcross - 1, 5, 15);
  std::string text;
  for (const SlotBoard& board : boards) {
    text += (text.empty() ? "" : "\n") + style.paint(Tone::title, safe_text(board.title));
    std::string about = board.system ? "  " + std::string(to_string(*board.system)) : "";
    about += "  " + counted(board.slots.size(), "state");
    text += style.paint(Tone::quiet, about) + "\n";
    const bool pictures = std::ranges::any_of(
        board.slots, [](const StateSlot& slot) { return slot.info.picture.has_value(); });
    const BoardRows rows = rows_of(board);
    for (std::size_t row = 0; row < rows.rows.size(); ++row)
      text += row_text(rows.rows[row], rows.first[row], width, pictures && style.colour(), style);
    // One line for each program; the size alone makes no other one.
    std::vector<StateMaker> makers;
    for (const StateSlot& slot : board.slots)
      if (slot.findings.empty() && std::ranges::none_of(makers, [&](const StateMaker& known) {
            return same_program(known, slot.info.maker, true);
          }))
        makers.push_back(slot.info.maker);
    constexpr std::size_t kShown = 3;
    for (std::size_t i = 0; i < std::min(makers.size(), kShown); ++i)
      text +=
          "  " + style.paint(Tone::quiet, wrapped(maker_text(makers[i]), style.width(), 4)) + "\n";
    if (makers.size() > 1)
      text +=
          finding_text({Level::warn, Code::other_program,
                        "these states are of more than one program: each loads only its own", ""},
                       style, 2);
    for (const StateSlot& slot : board.slots) text += findings_text(slot.findings, style, 2);
  }
  return text;
}

std::string dug_text(const Dug& dug, const Style& style) {
  std::string text;
  for (const OutputFile& file : dug.outputs)
    text += style.paint(Tone::good, "✓ ") +
            style.paint(Tone::title, path_text(file.path.string())) + "  " +
            (file.layout.empty() ? "" : file.layout + "  ") +
            style.paint(Tone::quiet, size_text(file.size)) + "\n";
  if (dug.stopped)
    text += style.paint(Tone::bad, "✗ stopped") + ", nothing was written\n" +
            finding_text({Level::error, dug.stopped->code, dug.stopped->text, dug.stopped->hint},
                         style, 2);
  const bool choice = dug.stopped.has_value();
  std::size_t number = 0;
  for (const DigCandidate& candidate : dug.candidates) {
    ++number;
    constexpr std::size_t kShown = 10;
    if (!choice && !candidate.shown) continue;
    if (number > kShown) break;
    const std::string head = fmt::format("  {:<4}", choice ? fmt::format("{})", number) : "");
    text += head +
            wrapped(fmt::format("{}: {}{}", safe_text(candidate.part), candidate.evidence,
                                candidate.inside.empty() ? "" : ", in " + candidate.inside),
                    style.width(), 6) +
            "\n";
  }
  return text + findings_text(dug.findings, style, 2);
}

}  // namespace bayswap::cli
