#include "cli/render/card.h"

#include <fmt/core.h>

#include <algorithm>
#include <array>
#include <chrono>
#include <numeric>

#include "cli/render/picture.h"
#include "cli/render/text.h"
#include "core/bytes/text.h"
#include "core/bytes/time_text.h"
#include "core/packing/png.h"

namespace bayswap::cli {
namespace {

constexpr std::uint32_t kPictureSide = 16;
constexpr std::size_t kPictureGap = 2;
constexpr std::size_t kNarrowest = 58;  // of a save's panel
constexpr std::size_t kMapRows = 10;
constexpr std::uint32_t kLargestThumbnail = 512;  // pixels on a side

// One colour for each save, far from its neighbours'.
constexpr std::array<std::array<int, 3>, 12> kHues{{{230, 159, 0},
                                                    {86, 180, 233},
                                                    {0, 158, 115},
                                                    {240, 228, 66},
                                                    {204, 121, 167},
                                                    {213, 94, 0},
                                                    {128, 177, 211},
                                                    {179, 222, 105},
                                                    {190, 174, 212},
                                                    {253, 192, 134},
                                                    {102, 194, 165},
                                                    {231, 138, 195}}};

char mark_of(std::size_t save) {
  static constexpr std::string_view kMarks =
      "123456789ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz";
  return save < kMarks.size() ? kMarks[save] : '+';
}

std::string on_hue(std::size_t save, const std::string& text, const Style& style) {
  if (!style.colour()) return text;
  const auto& hue = kHues[save % kHues.size()];
  return fmt::format("\x1b[48;2;{};{};{}m\x1b[38;2;16;16;16m{}\x1b[0m", hue[0], hue[1], hue[2],
                     text);
}

std::string in_hue(std::size_t save, const std::string& text, const Style& style) {
  if (!style.colour()) return text;
  const auto& hue = kHues[save % kHues.size()];
  return fmt::format("\x1b[38;2;{};{};{}m{}\x1b[0m", hue[0] / 2, hue[1] / 2, hue[2] / 2, text);
}

std::string time_text(const std::optional<Time>& time) {
  if (!time) return {};
  return utc_text(*time).substr(0, std::string_view("2026-01-31 12:00").size());
}

std::vector<std::string> split_lines(const std::string& text) {
  std::vector<std::string> lines;
  std::size_t start = 0;
  while (start <= text.size()) {
    const std::size_t end = std::min(text.find('\n', start), text.size());
    if (end > start) lines.push_back(safe_text(text.substr(start, end - start)));
    start = end + 1;
  }
  return lines;
}

// What the catalog calls the game, then what the save says of itself; empty when neither does.
std::vector<std::string> titles_of(const Save& save) {
  std::vector<std::string> titles;
  if (!save.game.title.empty()) titles.push_back(safe_text(save.game.title));
  for (std::string& line : split_lines(save.comment))
    if (titles.empty() || plain_title(line) != plain_title(titles.front()))
      titles.push_back(std::move(line));
  return titles;
}

// Title first, and the card's own name for it last.
std::vector<std::pair<Tone, std::string>> words_of(const CardSave& on_card) {
  const Save& save = on_card.save;
  std::vector<std::string> titles = titles_of(save);
  const bool titled = !titles.empty();
  if (!titled) titles.push_back(safe_text(save.name));
  std::vector<std::pair<Tone, std::string>> words;
  for (std::size_t i = 0; i < titles.size(); ++i)
    words.emplace_back(i == 0 ? Tone::title : Tone::plain, titles[i]);
  std::string game;
  for (const std::string& piece : {save.game.serial.empty() ? save.game.code : save.game.serial,
                                   save.game.maker, std::string(to_string(save.game.region))})
    if (!piece.empty()) game += (game.empty() ? "" : " · ") + safe_text(piece);
  if (!game.empty()) words.emplace_back(Tone::plain, game);
  const std::string time = time_text(save.modified);
  words.emplace_back(Tone::plain, counted(on_card.block_count, block_word(save.system)) +
                                      (time.empty() ? "" : " · " + time));
  if (titled) words.emplace_back(Tone::quiet, safe_text(save.name));
  if (has_error(on_card.findings)) words.emplace_back(Tone::bad, "damaged");
  return words;
}

using Panel = std::vector<std::string>;

// A picture on the left, words beside it, each line `width` columns.
// Cards without any picture have no column for them.
Panel panel_of(const CardSave& on_card, std::size_t place, std::size_t width, std::size_t side,
               bool deleted, const Style& style) {
  Panel lines;
  Panel left;
  if (side > 0) left = picture_lines(portrait(face_of(on_card.save), kPictureSide), kPictureSide);
  const auto words = words_of(on_card);
  const std::size_t height = std::max(left.size(), words.size());
  left.resize(height, std::string(side, ' '));
  const std::size_t room = width - side - kPictureGap - 4;
  const std::size_t skip = (height - words.size()) / 2;
  for (std::size_t i = 0; i < height; ++i) {
    std::string line = left[i] + std::string(kPictureGap, ' ');
    const bool first = i == skip;
    const std::string chip = std::string(" ") + (deleted ? 'x' : mark_of(place)) + " ";
    line += first ? (deleted ? style.paint(Tone::quiet, chip) : on_hue(place, chip, style)) : "   ";
    std::string text;
    if (i >= skip && i - skip < words.size()) text = style.fitted(words[i - skip].second, room);
    line += " ";
    line += i >= skip && i - skip < words.size() ? style.paint(words[i - skip].first, text) : "";
    line.append(room - std::min(room, columns_of(text)), ' ');
    lines.push_back(std::move(line));
  }
  return lines;
}

std::string panels_text(const std::vector<CardSave>& saves, const std::vector<std::size_t>& places,
                        bool deleted, const Style& style) {
  const std::size_t across = std::clamp<std::size_t>(style.width() / kNarrowest, 1, 3);
  const std::size_t width = style.width() / across - 1;
  const bool pictures = std::ranges::any_of(saves, [](const CardSave& on_card) {
    const Face face = face_of(on_card.save);
    return !face.pictures.empty() || face.backdrop;
  });
  std::string text;
  for (std::size_t i = 0; i < saves.size(); i += across) {
    std::vector<Panel> row;
    std::size_t height = 0;
    for (std::size_t k = i; k < std::min(i + across, saves.size()); ++k) {
      row.push_back(
          panel_of(saves[k], places[k], width, pictures ? kPictureSide : 0, deleted, style));
      height = std::max(height, row.back().size());
    }
    for (std::size_t line = 0; line < height; ++line) {
      std::string whole;
      for (const Panel& panel : row)
        whole += line < panel.size() ? panel[line] + " " : std::string(width + 1, ' ');
      while (whole.ends_with(' ')) whole.pop_back();
      text += whole + "\n";
    }
    text += "\n";
  }
  return text;
}

// Without colours there are no pictures: a line for each save.
std::string list_lines(const std::vector<CardSave>& saves, const std::vector<std::size_t>& places,
                       bool deleted) {
  std::string text;
  for (std::size_t i = 0; i < saves.size(); ++i) {
    const auto words = words_of(saves[i]);
    std::string line =
        fmt::format("  {:>3}  ", deleted ? std::string("x") : fmt::format("#{}", places[i] + 1));
    for (std::size_t k = 0; k < words.size(); ++k) line += (k == 0 ? "" : " · ") + words[k].second;
    text += line + "\n";
  }
  return text;
}

std::string saves_text(const std::vector<CardSave>& saves, const std::vector<std::size_t>& places,
                       bool deleted, const Style& style) {
  return style.colour() ? panels_text(saves, places, deleted, style)
                        : list_lines(saves, places, deleted);
}

std::vector<std::size_t> all_places(const std::vector<CardSave>& saves) {
  std::vector<std::size_t> places(saves.size());
  std::iota(places.begin(), places.end(), std::size_t{0});
  return places;
}

// Several blocks of a large card share a cell; what most of them are is shown.
BlockUse use_of(const std::vector<BlockUse>& map, std::size_t from, std::size_t to) {
  BlockUse best = map[from];
  std::size_t most = 0;
  for (std::size_t i = from; i < to; ++i) {
    const auto same = static_cast<std::size_t>(std::count_if(
        map.begin() + static_cast<std::ptrdiff_t>(from),
        map.begin() + static_cast<std::ptrdiff_t>(to),
        [&](const BlockUse& use) { return use.state == map[i].state && use.save == map[i].save; }));
    // A cell that holds anything is not shown as free.
    const bool better = (best.state == BlockState::free && map[i].state != BlockState::free) ||
                        (map[i].state != BlockState::free && same > most);
    if (better) {
      best = map[i];
      most = same;
    }
  }
  return best;
}

std::string cell_text(const BlockUse& use, bool begins, std::size_t width, const Style& style) {
  const auto fill = [&](const char* glyph) {
    std::string text;
    for (std::size_t i = 0; i < width; ++i) text += glyph;
    return text;
  };
  switch (use.state) {
    case BlockState::free: return style.paint(Tone::quiet, fill("·"));
    case BlockState::bad: return style.paint(Tone::bad, fill("×"));
    case BlockState::stray: return style.paint(Tone::warn, fill("?"));
    case BlockState::system: return style.paint(Tone::quiet, fill("▒"));
    case BlockState::deleted: return in_hue(use.save, fill("░"), style);
    case BlockState::used: break;
  }
  std::string text(width, style.colour() ? ' ' : mark_of(use.save));
  if (begins) text[width / 2] = mark_of(use.save);
  return on_hue(use.save, text, style);
}

std::string map_text(const Card& card, std::string_view word, bool package, const Style& style) {
  if (card.map.empty()) return {};
  const std::size_t columns = style.width() - 4;
  const std::size_t cells_at_most = columns * kMapRows;
  const std::size_t each = (card.map.size() + cells_at_most - 1) / cells_at_most;
  const std::size_t cells = (card.map.size() + each - 1) / each;
  const std::size_t width = std::clamp<std::size_t>(columns * 2 / cells, 1, 6);
  // Rows of one length, rather than a last one of a few cells.
  const std::size_t fits = std::max<std::size_t>(1, columns / width);
  const std::size_t rows = (cells + fits - 1) / fits;
  const std::size_t per_row = (cells + rows - 1) / rows;
  // A small card's blocks are two lines high.
  const bool tall = style.colour() && rows <= 2;
  std::string text;
  BlockUse before{BlockState::system, 0xFFFF};
  for (std::size_t row = 0; row < cells; row += per_row) {
    std::string upper = "  ";
    std::string lower = "  ";
    for (std::size_t i = row; i < std::min(cells, row + per_row); ++i) {
      const BlockUse use = use_of(card.map, i * each, std::min(card.map.size(), (i + 1) * each));
      const bool begins = before.state != use.state || before.save != use.save;
      upper += cell_text(use, begins, width, style);
      lower += cell_text(use, false, width, style);
      before = use;
    }
    text += upper + "\n" + (tall ? lower + "\n" : "");
  }
  text += "\n  ";
  const auto has = [&](BlockState state) {
    return std::ranges::any_of(card.map, [&](const BlockUse& use) { return use.state == state; });
  };
  std::vector<std::string> legend;
  if (has(BlockState::used))
    legend.push_back(on_hue(0, "1", style) +
                     fmt::format(" a {}'s {}s", package ? "file" : "save", word));
  if (has(BlockState::free)) legend.push_back(style.paint(Tone::quiet, "·") + " free");
  if (has(BlockState::deleted))
    legend.push_back(in_hue(0, "░", style) + " deleted, still readable");
  if (has(BlockState::system))
    legend.push_back(style.paint(Tone::quiet, "▒") +
                     (package ? " the package's own" : " the card's own"));
  if (has(BlockState::stray))
    legend.push_back(style.paint(Tone::warn, "?") + " in use, but by no save");
  if (has(BlockState::bad)) legend.push_back(style.paint(Tone::bad, "×") + " bad");
  text += joined(legend, "   ");
  if (each > 1)
    text += style.paint(Tone::quiet, fmt::format("   (a cell is {})", counted(each, word)));
  return text + "\n";
}

Tone tone_of(RescueState state) {
  switch (state) {
    case RescueState::whole: return Tone::good;
    case RescueState::repaired: return Tone::key;
    case RescueState::damaged: return Tone::warn;
    case RescueState::lost: return Tone::bad;
  }
  return Tone::plain;
}

const char* sign_of(RescueState state) {
  switch (state) {
    case RescueState::whole: return "✓ whole";
    case RescueState::repaired: return "✓ repaired";
    case RescueState::damaged: return "! damaged";
    case RescueState::lost: return "✗ lost";
  }
  return "";
}

// What a package says about itself, with its picture beside it.
std::string package_text(const Card& card, const Style& style) {
  std::vector<std::pair<Tone, std::string>> words;
  const auto add = [&](Tone tone, const std::string& text) {
    if (!text.empty()) words.emplace_back(tone, safe_text(text));
  };
  add(Tone::title, card.comment);
  add(Tone::plain, card.game.title);
  if (!card.game.title_id.empty()) add(Tone::plain, "title " + card.game.title_id.substr(8));
  if (!card.game.profile.empty()) add(Tone::plain, "profile " + card.game.profile);
  Panel left;
  if (style.colour())
    if (const auto picture = picture_of_png(card.thumbnail, kLargestThumbnail))
      left = picture_lines(fitted(*picture, kPictureSide), kPictureSide);
  std::string text;
  for (std::size_t i = 0; i < std::max(left.size(), words.size()); ++i) {
    text += "  ";
    if (!left.empty()) text += (i < left.size() ? left[i] : std::string(kPictureSide, ' ')) + "  ";
    if (i < words.size()) text += style.paint(words[i].first, words[i].second);
    text += "\n";
  }
  return text + "\n";
}

}  // namespace

std::string card_text(const ShownCard& shown, const Style& style) {
  const Card& card = shown.card;
  const bool package = shown.layout->card_info().package;
  std::string text =
      style.paint(Tone::title, path_text(shown.name)) + "  " + shown.layout->info().id + "  " +
      style.paint(
          Tone::quiet,
          fmt::format("{}, {} of {} free", counted(card.saves.size(), package ? "file" : "save"),
                      grouped(card.blocks_free),
                      counted(card.blocks_total, block_word(shown.layout->info().system)))) +
      "\n\n";
  if (package) text += package_text(card, style);
  if (card.saves.empty()) text += package ? "  no files in it\n\n" : "  no saves on it\n\n";
  text += saves_text(card.saves, all_places(card.saves), false, style);
  if (!card.deleted.empty()) {
    text += style.paint(Tone::title, "deleted, still readable") +
            style.paint(Tone::quiet, "  copy out with: bayswap card take CARD --deleted -o DIR") +
            "\n";
    text += saves_text(card.deleted, all_places(card.deleted), true, style);
  }
  if (!style.colour()) text += "\n";
  text += map_text(card, block_word(shown.layout->info().system), package, style);
  Findings findings;
  for (const CardSave& on_card : card.saves)
    findings.insert(findings.end(), on_card.findings.begin(), on_card.findings.end());
  findings.insert(findings.end(), card.findings.begin(), card.findings.end());
  return findings.empty() ? text : text + "\n" + findings_text(findings, style, 2);
}

std::string drop_text(const DropReport& drop, const Style& style) {
  std::string text = saves_text(drop.saves, drop.places, false, style);
  return text + report_text(drop.report, style, Doing::dropping);
}

std::string mend_text(const MendReport& report, const std::string& card, const Style& style) {
  const Mended& mended = report.mended;
  std::string text = style.paint(Tone::title, path_text(card)) + " → " +
                     style.paint(Tone::title, path_text(report.output.path.string())) + "  " +
                     report.output.layout + "\n";
  std::size_t rescued = 0;
  for (const Rescue& rescue : mended.saves) {
    if (rescue.state != RescueState::lost) ++rescued;
    const std::vector<std::string> titles = titles_of(rescue.save);
    const std::string name = safe_text(rescue.save.name);
    text += "  " + style.paint(tone_of(rescue.state), padded(sign_of(rescue.state), 12));
    text += titles.empty() ? style.paint(Tone::title, name)
                           : style.paint(Tone::title, joined(titles, " · ")) + "  " +
                                 style.paint(Tone::quiet, name);
    text += "\n";
    for (const std::string& what : rescue.what)
      text += "              " + wrapped(safe_text(what), style.width(), 14) + "\n";
  }
  text += "\n";
  for (const Finding& finding : mended.findings)
    text += "  " + style.paint(Tone::quiet, "was wrong: ") +
            wrapped(finding.text, style.width(), 13) + "\n";
  if (mended.unchanged) {
    text += style.paint(Tone::good, "✓ ") + "the card was sound: the new one is its exact copy\n";
    return text;
  }
  text += mended.saves.empty()
              ? std::string("no save could be found: the new card is empty\n")
              : fmt::format("{} of {} saves are on the new card, which a console can read\n",
                            rescued, mended.saves.size());
  if (mended.unnamed)
    text += style.paint(Tone::bad, "✗ ") +
            "the card held more than that, and nothing on it tells any more what it was\n";
  text += style.paint(Tone::quiet,
                      "the damaged card was left as it is; keep it until you have "
                      "played from the new one") +
          "\n";
  return text;
}

}  // namespace bayswap::cli
