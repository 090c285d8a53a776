#include "cli/render/text.h"

#include <fmt/core.h>

#include <algorithm>
#include <filesystem>

#include "bayswap/card.h"
#include "cli/render/picture.h"
#include "cli/render/shell.h"
#include "core/bytes/text.h"

namespace bayswap::cli {
namespace {

constexpr std::size_t kMargin = 2;
constexpr std::size_t kKeyColumn = 9;

// The value comes unpainted: wrapping takes out every control character.
std::string row(const Style& style, std::string_view key, std::string_view value,
                Tone tone = Tone::plain) {
  const std::size_t indent = kMargin + kKeyColumn;
  return std::string(kMargin, ' ') + style.paint(Tone::key, padded(key, kKeyColumn)) +
         style.paint(tone, wrapped(value, style.width(), indent)) + "\n";
}

std::string game_line(const Game& game) {
  std::vector<std::string> words;
  for (const std::string& word :
       {safe_text(game.title), safe_text(game.code), safe_text(game.serial), safe_text(game.maker),
        std::string(to_string(game.region))})
    if (!word.empty()) words.push_back(word);
  if (!game.title_id.empty()) words.push_back(title_id_text(game));
  if (!game.account.empty()) words.push_back("account " + game.account);
  if (!game.profile.empty()) words.push_back("profile " + game.profile);
  return joined(words, " · ");
}

std::string packed_line(const SaveInfo& save) {
  std::string line = safe_text(save.name) + "  " + size_text(save.size);
  if (!save.layout.empty()) line += " · " + save.layout;
  if (!save.candidates.empty()) line += " · could be " + list_text(save.candidates);
  if (!save.game.title.empty()) line += " · " + safe_text(save.game.title);
  return line;
}

std::string save_line(const SaveInfo& save, std::string_view word) {
  std::vector<std::string> words;
  if (!save.game.title.empty()) words.push_back(safe_text(save.game.title));
  if (!save.comment.empty()) words.push_back(one_line(save.comment));
  const bool untitled = words.empty();
  if (untitled) words.push_back(safe_text(save.name));
  words.push_back(counted(save.blocks, word));
  if (!untitled) words.push_back(safe_text(save.name));
  const std::string_view region = to_string(save.game.region);
  if (!region.empty()) words.emplace_back(region);
  return joined(words, " · ");
}

std::string chips_line(const std::vector<Chip>& chips, const std::string& from) {
  std::vector<std::string> names;
  for (const Chip& chip : chips)
    names.push_back(chip.size == 0 || chip.part == "clock"
                        ? chip.part
                        : fmt::format("{} {}", chip.part, size_text(chip.size)));
  const std::string text = names.empty() ? "none: this game keeps nothing" : list_text(names);
  return text + (from == "catalog" ? " (from the catalog)" : " (from the ROM header)");
}

std::string part_row(const PartInfo& part, const Style& style, std::size_t name_width) {
  std::string text(kMargin, ' ');
  text += padded(part.name, name_width) + "  " + fmt::format("{:>8}", size_text(part.size)) + "  ";
  if (part.blank) {
    text += style.paint(Tone::quiet, "blank");
  } else {
    text += part.filled.empty() ? style.paint(Tone::good, "set") : strip_text(part.filled, style);
  }
  return text + "\n";
}

std::string kind_line(const Item& item, const Style& style) {
  std::string text;
  if (item.system) text += std::string(to_string(*item.system)) + " ";
  text += to_string(*item.kind);
  if (!item.layout.empty()) {
    text += " · " + style.paint(Tone::title, item.layout);
    if (item.header > 0) text += fmt::format(" behind a header of {} bytes", grouped(item.header));
    text += " · ";
    text += fmt::format("{} ({})", to_string(*item.confidence), item.reason);
  }
  return std::string(kMargin, ' ') + text + "\n";
}

std::string state_rows(const StateInfo& state, const Style& style) {
  constexpr std::uint32_t kPictureSide = 40;
  std::string text = row(style, "made as", maker_text(state.maker));
  if (!state.picture) return text;
  text += row(style, "picture",
              fmt::format("{} × {} pixels", state.picture->width, state.picture->height));
  if (!style.colour()) return text;
  for (const std::string& line : picture_lines(fitted(*state.picture, kPictureSide), kPictureSide))
    text += std::string(kMargin + kKeyColumn, ' ') + line + "\n";
  return text;
}

const char* deed(Doing doing) {
  switch (doing) {
    case Doing::carrying: return "carried";
    case Doing::undoing: return "put back";
    case Doing::putting: return "put on the card";
    case Doing::dropping: return "dropped";
    case Doing::restoring: return "brought back";
    case Doing::writing: return "written to the cartridge";
  }
  return "";
}

std::string status_mark(const MoveReport& move, const Style& style, Doing doing) {
  if (move.nothing_to_do) return style.paint(Tone::quiet, "= already there");
  switch (move.status) {
    case MoveStatus::done:
      return style.paint(Tone::good, fmt::format("✓ {}", deed(doing))) +
             (move.move.empty() ? "" : style.paint(Tone::quiet, "  " + move.move));
    case MoveStatus::planned:
      return style.paint(Tone::key, fmt::format("○ would be {}", deed(doing)));
    case MoveStatus::stopped: return style.paint(Tone::bad, "✗ stopped") + ", nothing was changed";
  }
  return {};
}

// What becomes of the thing that is there.
const char* fate_of(const MoveReport& move, Doing doing) {
  if (doing == Doing::restoring) return move.folder ? "other files" : "another version";
  if (move.folder) return "a folder with other content";
  if (move.cartridge) return "another save on the cartridge";
  if (is_package(layouts().find(move.to_layout)))
    return doing == Doing::putting ? "a package whose other files stay as they are"
                                   : "a package that is replaced as a whole";
  if (move.to_layout.empty()) return "a state that is replaced";
  return move.label.empty() ? "a file whose form is kept"
                            : "a card whose other saves stay as they are";
}

// `3 replaced, 1 new; 2 there that this save does not have stay: a.bin and b.bin`.
std::string files_text(const MoveReport& move) {
  constexpr std::size_t kShown = 6;
  const MoveReport::Files& files = *move.files;
  std::vector<std::string> counts;
  const auto count = [&](std::size_t number, std::string_view what) {
    if (number > 0) counts.push_back(fmt::format("{} {}", number, what));
  };
  count(files.replaced, "replaced");
  count(files.added, "new");
  count(files.same, "the same");
  std::string text = joined(counts, ", ");
  const auto others = [&](const std::vector<std::string>& names, std::string_view fate) {
    if (names.empty()) return;
    std::vector<std::string> shown;
    for (const std::string& name : names)
      if (shown.size() < kShown) shown.push_back(safe_text(name));
    text += fmt::format("{}{} there that this save does not have {}: {}", text.empty() ? "" : "; ",
                        names.size(), fate, list_text(shown));
    if (names.size() > kShown) text += fmt::format(" and {} more", names.size() - kShown);
  };
  others(files.stay, files.stay.size() == 1 ? "stays" : "stay");
  others(files.going, files.going.size() == 1 ? "goes (kept in history)" : "go (kept in history)");
  return text;
}

std::string move_text(const MoveReport& move, const Style& style, Doing doing) {
  std::string text =
      style.paint(Tone::title, title_of(move)) + "  " + status_mark(move, style, doing) + "\n";
  const auto with_layout = [](const std::string& path, const std::string& layout) {
    return layout.empty() ? path : path + "  [" + layout + "]";
  };
  if (doing == Doing::undoing) {
    text += row(style, move.cartridge ? "port" : "file", path_text(move.to));
    text += row(style, "now",
                move.status != MoveStatus::done ? "left as it is"
                : move.cartridge                ? "the old save"
                : move.replaces                 ? "the old content, with its time"
                                                : "gone, as before the move");
  } else if (doing == Doing::dropping) {
    text += row(style, "save", safe_text(move.label));
    text += row(style, "card", with_layout(path_text(move.to), move.to_layout));
  } else {
    std::vector<std::string> sources;
    for (const std::string& from : move.from) sources.push_back(path_text(from));
    if (!move.label.empty()) text += row(style, "save", safe_text(move.label));
    text += row(style, "from", with_layout(list_text(sources), move.from_layout));
    if (!move.to.empty()) text += row(style, "to", with_layout(path_text(move.to), move.to_layout));
    if (!move.slot.empty()) text += row(style, "slot", safe_text(move.slot));
    if (!move.parts.empty()) text += row(style, "parts", list_text(move.parts));
    if (!move.chip.empty()) text += row(style, "chip", move.chip);
    if (!move.to.empty() && !move.nothing_to_do && move.status != MoveStatus::stopped)
      text +=
          row(style, "there",
              move.replaces ? fmt::format("{}; its old content {} in history", fate_of(move, doing),
                                          move.status == MoveStatus::planned ? "will be" : "is")
              : move.folder ? "a new folder"
                            : "a new file");
    if (move.files && !move.nothing_to_do) text += row(style, "files", files_text(move));
  }
  for (const Finding& check : move.checks) text += finding_text(check, style, kMargin);
  return text;
}

}  // namespace

std::string one_line(const std::string& comment) {
  std::string line;
  for (const char c : comment) line += c == '\n' ? std::string(" · ") : std::string(1, c);
  return safe_text(line);
}

// An id without a high half is shown as its console does.
std::string title_id_text(const Game& game) {
  const bool half = game.title_id.starts_with("00000000");
  return "title " + game.title_id.substr(half ? 8 : 0);
}

std::string title_of(const MoveReport& move) {
  if (!move.game.title.empty()) return safe_text(move.game.title);
  if (!move.comment.empty()) return safe_text(move.comment.substr(0, move.comment.find('\n')));
  // A number says nothing without its title.
  if (!move.game.title_id.empty()) {
    std::string text = title_id_text(move.game);
    if (!move.label.empty() && move.label != move.game.title_id) text += " · " + move.label;
    return safe_text(text);
  }
  return move.label.empty() ? path_text(move.to) : safe_text(move.label);
}

std::string item_text(const Item& item, const Style& style) {
  std::string text = style.paint(Tone::title, path_text(item.path)) + "  " +
                     style.paint(Tone::quiet, size_text(item.size)) + "\n";
  if (item.kind) text += kind_line(item, style);
  if (item.game.known()) {
    const std::string from = item.rom.empty() ? "" : "  (" + path_text(item.rom) + ")";
    text += row(style, "game", game_line(item.game) + from);
  }
  if (!item.slot.empty()) text += row(style, "slot", safe_text(item.slot));
  if (item.state) text += state_rows(*item.state, style);
  if (item.version && item.kind == Kind::rom) {
    text += row(style, "version",
                fmt::format("1.{}{}", *item.version,
                            *item.header_ok ? "" : ", and its header check fails"));
    if (item.chips)
      text += row(style, "saves to", chips_line(*item.chips, item.chips_from));
    else
      text += row(style, "saves to", "the ROM doesn't say; a catalog can");
  }
  std::size_t name_width = kKeyColumn - 2;
  for (const PartInfo& part : item.parts) name_width = std::max(name_width, part.name.size());
  for (const PartInfo& part : item.parts) text += part_row(part, style, name_width);
  if (!item.name.empty()) text += row(style, "name", safe_text(item.name));
  if (!item.comment.empty()) text += row(style, "says", one_line(item.comment));
  for (const auto& [name, value] : item.details)
    text += row(style, "·", fmt::format("{}  {}", safe_text(name), one_line(value)));
  const std::string_view word = item.system ? block_word(*item.system) : "block";
  if (item.card)
    text += row(
        style, item.package ? "inside" : "card",
        fmt::format("{}, {} of {} free", counted(item.saves.size(), item.package ? "file" : "save"),
                    grouped(item.card->blocks_free), counted(item.card->blocks_total, word)));
  if (item.archive)
    text += row(style, "archive",
                fmt::format("{}, {}", counted(item.saves.size(), "save"),
                            counted(item.other_files, "other file")));
  for (std::size_t i = 0; i < item.saves.size(); ++i)
    text += row(style, item.archive ? std::string("·") : fmt::format("#{}", i + 1),
                item.archive ? packed_line(item.saves[i]) : save_line(item.saves[i], word));
  if (!item.deleted.empty())
    text +=
        row(style, "deleted",
            fmt::format("{} still readable: 'bayswap card show' has them", item.deleted.size()));
  if (!item.candidates.empty() && !item.layout.empty())
    text += row(style, "or", list_text(item.candidates) + "; --is LAYOUT or --rom FILE settles it");
  return text + findings_text(item.findings, style, kMargin);
}

std::string next_step_text(const Item& item, const Style& style) {
  const bool advised = std::ranges::any_of(
      item.findings, [](const Finding& finding) { return !finding.hint.empty(); });
  const bool known = !item.layout.empty() || (item.archive && !item.saves.empty());
  if (advised || !known || item.kind == Kind::rom || item.blank == true) return "";
  const std::string path = shell_path(item.path);
  std::string step = "bring it elsewhere with: bayswap carry " + path + " --to FOLDER";
  if (item.card && !item.package) step = "see its saves with: bayswap card show " + path;
  return style.paint(Tone::quiet, step) + "\n";
}

std::string differences_text(const std::vector<PartDifference>& differences, const Style& style) {
  std::string text = style.paint(Tone::title, "compared") + "\n";
  for (const PartDifference& part : differences) {
    std::string line = std::string(kMargin, ' ') + padded(part.part, kKeyColumn - 2) + "  ";
    if (part.differing == 0) {
      text += line + style.paint(Tone::good, "the same") + "\n";
      continue;
    }
    text += line + strip_text(part.strip, style) + "  " +
            style.paint(Tone::warn, fmt::format("{} of {} bytes differ", grouped(part.differing),
                                                grouped(part.size))) +
            "\n";
    std::vector<std::string> ranges;
    constexpr std::size_t kShown = 6;
    for (std::size_t i = 0; i < std::min(kShown, part.ranges.size()); ++i)
      ranges.push_back(
          part.ranges[i].first == part.ranges[i].second
              ? fmt::format("0x{:X}", part.ranges[i].first)
              : fmt::format("0x{:X} to 0x{:X}", part.ranges[i].first, part.ranges[i].second));
    const bool more = part.more_ranges || part.ranges.size() > kShown;
    text += row(style, "", fmt::format("{}{}", joined(ranges, ", "), more ? ", …" : ""));
  }
  return text;
}

std::string reshaped_text(const Reshaped& reshaped, const Style& style) {
  std::string text;
  for (const OutputFile& file : reshaped.outputs)
    text += style.paint(Tone::good, "✓ ") +
            style.paint(Tone::title, path_text(file.path.string())) + "  " + file.layout + "  " +
            style.paint(Tone::quiet, size_text(file.size)) + "\n";
  if (reshaped.stopped) {
    text += style.paint(Tone::bad, "✗ stopped") + ", nothing was written\n";
    if (reshaped.losses.empty())
      text += finding_text(
          {Level::error, reshaped.stopped->code, reshaped.stopped->text, reshaped.stopped->hint},
          style, kMargin);
  }
  for (Finding loss : reshaped.losses) {
    if (!reshaped.stopped) loss.level = Level::warn;
    text += finding_text(loss, style, kMargin);
  }
  for (const Finding& finding : reshaped.findings) text += finding_text(finding, style, kMargin);
  return text;
}

// How many of the moves from a place on are files of one move that went the same way.
std::size_t files_together(const std::vector<MoveReport>& moves, std::size_t from) {
  std::size_t count = 1;
  while (from + count < moves.size() && moves[from + count].move == moves[from].move &&
         moves[from + count].status == moves[from].status)
    ++count;
  return count;
}

// The deepest folder that all of them are in.
std::string common_folder(const std::vector<MoveReport>& moves, std::size_t from,
                          std::size_t count) {
  std::filesystem::path common = std::filesystem::path(moves[from].to).parent_path();
  const auto holds = [&](const MoveReport& move) {
    const std::filesystem::path path = move.to;
    return std::mismatch(common.begin(), common.end(), path.begin(), path.end()).first ==
           common.end();
  };
  while (common.has_relative_path() &&
         !std::all_of(moves.begin() + static_cast<std::ptrdiff_t>(from),
                      moves.begin() + static_cast<std::ptrdiff_t>(from + count), holds))
    common = common.parent_path();
  return common.string();
}

// A folder's files come back together.
std::string folder_back_text(const std::vector<MoveReport>& moves, std::size_t from,
                             std::size_t count, const Style& style) {
  return style.paint(Tone::title, title_of(moves[from])) + "  " +
         status_mark(moves[from], style, Doing::undoing) + "\n" +
         row(style, "folder", path_text(common_folder(moves, from, count))) +
         row(style, "now", counted(count, "file") + " as before the move");
}

std::string understood_text(const PlaceReport& place, const Style& style) {
  std::string text = style.paint(Tone::title, path_text(place.path)) + "\n" +
                     std::string(kMargin, ' ') + style.paint(Tone::key, "understood ") +
                     wrapped(place.words, style.width(), kMargin + 11) + "\n";
  if (place.exact) return text;
  std::string keep = "→ keep that: bayswap bay learn NAME " + shell_path(place.path);
  if (!place.roms.empty()) keep += " --roms " + shell_path(place.roms);
  return text + std::string(kMargin, ' ') + style.paint(Tone::quiet, keep) + "\n";
}

std::string report_text(const CarryReport& report, const Style& style, Doing doing) {
  std::string text;
  std::size_t done = 0;
  std::size_t same = 0;
  std::size_t stopped = 0;
  std::size_t shown = 0;  // moves before this one are in the text
  constexpr std::size_t kFew = 2;
  for (std::size_t i = 0; i < report.moves.size(); ++i) {
    const MoveReport& move = report.moves[i];
    if (i >= shown) {
      text += text.empty() ? "" : "\n";
      const std::size_t together = files_together(report.moves, i);
      const bool whole = doing == Doing::undoing && move.status == MoveStatus::done &&
                         together > kFew && !move.move.empty();
      text += whole ? folder_back_text(report.moves, i, together, style)
                    : move_text(move, style, doing);
      shown = i + (whole ? together : 1);
    }
    if (move.nothing_to_do)
      ++same;
    else if (move.status == MoveStatus::stopped)
      ++stopped;
    else
      ++done;
  }
  if (report.moves.size() > 1 && doing != Doing::undoing)
    text +=
        fmt::format("\n{} {}, {} already there, {} stopped\n", done, deed(doing), same, stopped);
  const bool written = std::any_of(
      report.moves.begin(), report.moves.end(),
      [](const MoveReport& move) { return move.status == MoveStatus::done && !move.move.empty(); });
  if (written && doing != Doing::undoing)
    text += style.paint(Tone::quiet, "take it back with: bayswap undo") + "\n";
  if (!report.safe_to_remove.empty())
    text += style.paint(Tone::good, fmt::format("everything is written: {} is safe to remove",
                                                path_text(report.safe_to_remove))) +
            "\n";
  return text;
}

std::string changes_text(const std::vector<Shelf>& before, const std::vector<Shelf>& now,
                         const Style& style) {
  const auto missing_in = [](const std::vector<Shelf>& one, const std::vector<Shelf>& other) {
    std::vector<std::string> missing;
    for (const Shelf& shelf : one)
      if (std::ranges::none_of(other, [&](const Shelf& there) {
            return there.system == shelf.system && there.pattern == shelf.pattern;
          }))
        missing.push_back(fmt::format("{} {}", to_string(shelf.system), safe_text(shelf.pattern)));
    return missing;
  };
  const auto added = missing_in(now, before);
  const auto gone = missing_in(before, now);
  std::vector<std::string> words;
  if (!added.empty()) words.push_back("new: " + joined(added, ", "));
  if (!gone.empty()) words.push_back("gone: " + joined(gone, ", "));
  if (words.empty()) words.emplace_back("the shelves are the same as before");
  return row(style, "again", joined(words, "; "));
}

std::string bay_text(const Bay& bay, const Style& style, bool surveyed) {
  std::string text = style.paint(Tone::title, bay.name) + "  " +
                     (bay.port ? safe_text(bay.place.string()) : path_text(bay.place.string())) +
                     "\n";
  if (bay.shelves.empty() && !bay.port) text += "  no shelves yet\n";
  for (const Shelf& shelf : bay.shelves) {
    text +=
        row(style, to_string(shelf.system),
            safe_text(shelf.pattern) + "  [" +
                (shelf.kind == Kind::state ? std::string("save states") : list_text(shelf.layout)) +
                "]",
            Tone::title);
    if (!surveyed) continue;
    const std::string count = fmt::format("explains {} of {}", shelf.explains, shelf.of);
    text +=
        row(style, "", shelf.roms.empty() ? count : count + ", ROMs in " + safe_text(shelf.roms));
    if (!shelf.examples.empty())
      text += row(style, "", "e.g. " + safe_text(shelf.examples.front()), Tone::quiet);
  }
  for (const std::string& question : bay.questions)
    text += row(style, "?", safe_text(question), Tone::warn);
  if (!bay.unexplained.empty())
    text += row(style, "left", fmt::format("{} not explained", bay.unexplained.size()));
  constexpr std::size_t kShown = 8;
  for (std::size_t i = 0; i < std::min(kShown, bay.unexplained.size()); ++i)
    text += row(style, "", safe_text(bay.unexplained[i]), Tone::quiet);
  if (bay.unexplained.size() > kShown)
    text += row(style, "", "… and more: see --json", Tone::quiet);
  return text;
}

std::string layouts_text(const Style& style) {
  std::string text;
  for (const auto& layout : layouts().all()) {
    const LayoutInfo& info = layout->info();
    std::vector<std::string> sizes;
    std::vector<std::uint64_t> sorted = info.file_sizes;
    std::sort(sorted.begin(), sorted.end());
    for (const std::uint64_t size : sorted) sizes.push_back(size_text(size));
    const std::string span = sizes.empty()      ? std::string("any size")
                             : sizes.size() > 3 ? sizes.front() + " to " + sizes.back()
                                                : list_text(sizes);
    text += style.paint(Tone::title, padded(info.id, 22)) + " " + padded(info.summary, 62) + " " +
            style.paint(Tone::quiet, span) + "\n";
  }
  for (const Packing packing : all_packings())
    text +=
        style.paint(Tone::title, padded(fmt::format("state-{}", to_string(packing)), 22)) + " " +
        padded(packing == Packing::plain
                   ? std::string("save state as its program wrote it")
                   : fmt::format("the same inside general compression ({})", to_string(packing)),
               62) +
        " " + style.paint(Tone::quiet, "any size") + "\n";
  return text;
}

std::string error_text(const Error& error, const Style& style) {
  const std::string code(to_string(error.code));
  std::string text = style.paint(Tone::bad, "✗ " + code + ": ") +
                     wrapped(safe_text(error.text), style.width() - code.size() - 4, 2) + "\n";
  if (!error.hint.empty()) text += "  " + hint_lines(error.hint, style, 2);
  return text;
}

}  // namespace bayswap::cli
