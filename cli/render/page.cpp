#include "cli/render/page.h"

#include <fmt/core.h>

#include <algorithm>

#include "cli/render/html.h"
#include "cli/render/overview.h"
#include "cli/render/shell.h"
#include "cli/render/text.h"
#include "core/bytes/text.h"
#include "core/bytes/time_text.h"

namespace bayswap::cli {
namespace {

constexpr unsigned kColours = 12;

std::string short_time(std::int64_t ns) {
  constexpr std::size_t kMinutes = std::string_view("2026-01-31 12:00").size();
  return ns == 0 ? std::string() : utc_text(ns).substr(0, kMinutes);
}

std::string short_time(const std::optional<Time>& time) {
  return time ? short_time(std::chrono::nanoseconds(time->time_since_epoch()).count())
              : std::string();
}

std::string game_words(const Game& game) {
  std::string text = game.title;
  for (const std::string& id : {game.code, game.serial, game.title_id})
    if (!id.empty()) text += (text.empty() ? "" : ", ") + id;
  if (game.region != Region::unknown) text += fmt::format(" ({})", to_string(game.region));
  return text;
}

std::string health_of(const Findings& findings, const std::optional<bool>& blank) {
  if (has_error(findings)) return "damaged";
  if (blank.value_or(false)) return "blank";
  return std::ranges::any_of(findings, [](const Finding& one) { return one.level == Level::warn; })
             ? "worth a look"
             : "sound";
}

std::vector<std::string> row_of_item(const Item& item) {
  return {item.path,
          item.system ? std::string(to_string(*item.system)) : std::string(),
          item.card   ? std::string("card")
          : item.kind ? std::string(to_string(*item.kind))
                      : std::string("archive"),
          game_words(item.game),
          size_text(item.size),
          short_time(item.file_modified_ns),
          item.kind == Kind::rom ? std::string() : health_of(item.findings, item.blank)};
}

// One file in full.
void add_item(HtmlPage& page, const Item& item) {
  page.heading(item.path);
  std::vector<std::pair<std::string, std::string>> facts{
      {"system", item.system ? std::string(to_string(*item.system)) : std::string()},
      {"kind", item.kind ? std::string(to_string(*item.kind)) : std::string()},
      {"layout", item.layout},
      {"why", item.reason},
      {"game", game_words(item.game)},
      {"ROM", item.rom},
      {"says", item.comment},
      {"saved", short_time(item.modified)}};
  facts.insert(facts.end(), item.details.begin(), item.details.end());
  page.facts(facts);
  for (const PartInfo& part : item.parts) {
    page.paragraph(
        fmt::format("{}: {}{}", part.name, size_text(part.size), part.blank ? ", blank" : ""),
        "soft");
    page.strip(part.name, part.filled);
  }
  std::vector<std::vector<std::string>> saves;
  for (const SaveInfo& save : item.saves)
    saves.push_back({save.name, save.comment, game_words(save.game), size_text(save.size),
                     short_time(save.modified)});
  if (!saves.empty()) page.table("Saves in it", {"name", "says", "game", "size", "saved"}, saves);
  page.findings(item.findings);
}

std::vector<std::string> lines_of(const std::string& text) {
  std::vector<std::string> lines;
  std::string line;
  for (const char c : text + "\n") {
    if (c != '\n') {
      line += c;
      continue;
    }
    if (!line.empty()) lines.push_back(line);
    line.clear();
  }
  return lines;
}

HtmlPage::Figure figure_of(const CardSave& on_card, std::size_t place) {
  const Save& save = on_card.save;
  HtmlPage::Figure figure;
  const Face face = face_of(save);
  if (face.icon < face.pictures.size()) figure.png = base64_png(face.pictures[face.icon]);
  std::vector<std::string> lines = lines_of(save.comment);
  if (lines.empty()) lines.push_back(save.name);
  figure.alt = "icon of " + lines.front();
  figure.caption = lines;
  figure.caption.push_back(fmt::format("#{} {}", place + 1, save.name));
  figure.caption.push_back(fmt::format("{}{}{}", counted(on_card.block_count, "block"),
                                       save.modified ? ", " : "", short_time(save.modified)));
  return figure;
}

std::string block_words(const BlockUse& block, const Card& card) {
  switch (block.state) {
    case BlockState::free: return "free";
    case BlockState::used:
      return block.save < card.saves.size() ? card.saves[block.save].save.name
                                            : std::string("in use");
    case BlockState::deleted: return "free, a deleted save can be read";
    case BlockState::bad: return "bad";
    case BlockState::stray: return "in use, and no save claims it";
    case BlockState::system: return "the card's own";
  }
  return {};
}

HtmlPage::Cell cell_of(const BlockUse& block, const Card& card) {
  HtmlPage::Cell cell{0, "", block_words(block, card)};
  switch (block.state) {
    case BlockState::used:
      cell.colour = 1 + block.save % kColours;
      cell.sign = std::to_string(block.save + 1);
      break;
    case BlockState::bad: cell.sign = "✗"; break;
    case BlockState::stray: cell.sign = "?"; break;
    case BlockState::deleted: cell.sign = "·"; break;
    default: break;
  }
  return cell;
}

void add_board(HtmlPage& page, const SlotBoard& board) {
  page.heading(fmt::format("States of {}", board.title));
  std::vector<HtmlPage::Figure> figures;
  for (const StateSlot& slot : board.slots) {
    HtmlPage::Figure figure;
    if (slot.info.picture) figure.png = base64_png(*slot.info.picture);
    figure.alt = "picture in slot " + slot.slot;
    figure.caption = {"slot " + slot.slot, short_time(slot.modified_ns), size_text(slot.size)};
    figures.push_back(std::move(figure));
  }
  page.figures(figures);
}

}  // namespace

std::string look_page(const std::string& place, const std::vector<Item>& items,
                      const std::vector<SlotBoard>& boards) {
  HtmlPage page(place);
  std::size_t others = 0;
  std::vector<std::vector<std::string>> rows;
  Findings findings;
  for (const Item& item : items) {
    const bool known = item.kind.has_value() || !item.saves.empty();
    if (known)
      rows.push_back(row_of_item(item));
    else
      ++others;
    for (Finding finding : item.findings) {
      if (finding.level == Level::note) continue;
      finding.hint = hint_for(finding, item.path);
      finding.text = item.path + ": " + finding.text;
      findings.push_back(std::move(finding));
    }
  }
  if (items.size() == 1) {
    add_item(page, items.front());
  } else {
    page.paragraph(fmt::format("{} known, {}", counted(rows.size(), "file"),
                               others == 1 ? "1 other" : grouped(others) + " others"),
                   "soft");
    page.table("What lies there", {"file", "system", "kind", "game", "size", "changed", "health"},
               rows);
    if (!findings.empty()) page.heading("Findings, and what to type");
    page.findings(findings);
  }
  for (const SlotBoard& board : boards) add_board(page, board);
  return page.text();
}

std::string card_page(const ShownCard& shown) {
  const Card& card = shown.card;
  HtmlPage page(shown.name);
  page.facts(
      {{"layout", shown.layout == nullptr ? std::string() : shown.layout->info().id},
       {"size", size_text(shown.size)},
       {"free", fmt::format("{} of {}", card.blocks_free, counted(card.blocks_total, "block"))},
       {"game", game_words(card.game)},
       {"says", card.comment}});
  page.heading("Saves");
  std::vector<HtmlPage::Figure> figures;
  for (std::size_t i = 0; i < card.saves.size(); ++i)
    figures.push_back(figure_of(card.saves[i], i));
  page.figures(figures);
  if (figures.empty()) page.paragraph("The card is empty.", "soft");
  for (const CardSave& save : card.saves) page.findings(save.findings);
  if (!card.deleted.empty()) {
    page.heading("Deleted, and still readable");
    figures.clear();
    for (std::size_t i = 0; i < card.deleted.size(); ++i)
      figures.push_back(figure_of(card.deleted[i], i));
    page.figures(figures);
  }
  if (!card.map.empty()) {
    page.heading("Blocks");
    std::vector<HtmlPage::Cell> cells;
    for (const BlockUse& block : card.map) cells.push_back(cell_of(block, card));
    page.map(fmt::format("{} of {} blocks are free", card.blocks_free, card.blocks_total), cells);
  }
  if (!card.findings.empty()) page.heading("Findings, and what to type");
  page.findings(card.findings);
  return page.text();
}

std::string history_page(const std::vector<SaveHistory>& saves) {
  HtmlPage page("History");
  for (const SaveHistory& save : saves) {
    page.heading(save.title.empty() ? save.path.string() : save.title);
    page.paragraph(save.path.string() + (save.bay.empty() ? "" : ", bay " + save.bay), "soft");
    const std::vector<Version> newest_first(save.versions.rbegin(), save.versions.rend());
    std::vector<std::vector<std::string>> rows;
    for (const Version& version : newest_first)
      rows.push_back({version.id, short_time(version.time_ns), size_text(version.size),
                      version.there_now ? "there now"
                      : version.whole   ? "kept"
                                        : "no longer kept",
                      version.change, version.reason});
    page.table("Versions, the newest first", {"version", "when", "size", "", "what differs", "why"},
               rows);
    for (const Version& version : newest_first)
      if (!version.there_now && version.whole) {
        page.command("bayswap restore " + shell_word(save.path.string()), "--at " + version.id);
        break;
      }
  }
  if (saves.empty()) page.paragraph("There is no history yet.", "soft");
  return page.text();
}

std::string hub_page(const HubReport& report) {
  HtmlPage page(report.where);
  page.facts({{"this device", report.device},
              {"saves", fmt::format("{} in {}", report.saves, counted(report.versions, "version"))},
              {"size", size_text(report.bytes)},
              {"conflicts",
               report.conflicts == 0 ? std::string("none") : std::to_string(report.conflicts)},
              {"sealed", report.sealed ? "yes" : "no"}});
  std::vector<std::vector<std::string>> rows;
  for (const HubReport::Device& device : report.devices)
    rows.push_back({device.name + (device.own ? " (here)" : ""), short_time(device.seen_ns),
                    std::to_string(device.newest)});
  page.heading("Devices");
  if (rows.empty())
    page.paragraph("No device has synced yet.", "soft");
  else
    page.table("Who syncs here", {"device", "last wrote", "newest versions"}, rows);
  const auto add_items = [&](const char* heading, const std::vector<SyncItem>& items) {
    if (items.empty()) return;
    page.heading(heading);
    std::vector<std::vector<std::string>> lines;
    for (const SyncItem& item : items)
      lines.push_back(
          {item.label.empty()     ? game_words(item.game)
           : item.comment.empty() ? item.label
                                  : fmt::format("{} ({})", one_line(item.comment), item.label),
           std::string(to_string(item.system)), short_time(item.time_ns), size_text(item.size)});
    page.table(fmt::format("{} in all", counted(items.size(), "save")),
               {"save", "system", "made", "size"}, lines);
  };
  add_items("Not on the hub yet", report.unsent);
  add_items("No place here", report.unmatched);
  page.findings(report.notes);
  return page.text();
}

}  // namespace bayswap::cli
