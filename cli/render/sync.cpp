#include "cli/render/sync.h"

#include <fmt/core.h>

#include <sstream>

#include "cli/render/shell.h"
#include "cli/render/text.h"
#include "core/bytes/text.h"
#include "core/bytes/time_text.h"

namespace bayswap::cli {
namespace {

constexpr std::size_t kMinutes = std::string_view("2026-01-31 12:00").size();

// As a command takes it.
std::string title_text(const SyncItem& item) {
  std::string text = item.label.empty() ? item.game.title : item.label;
  if (text.empty()) text = item.game.code.empty() ? "a save" : item.game.code;
  if (!item.slot.empty()) text += fmt::format(" (state {})", item.slot);
  // Games have saves of their own in each region.
  const bool several = item.label.empty() && item.game.region != Region::unknown;
  if (several) text += fmt::format(" ({})", to_string(item.game.region));
  return safe_text(text);
}

// As a person knows it.
std::string shown_text(const SyncItem& item) {
  std::string title = title_text(item);
  if (item.label.empty() || item.comment.empty()) return title;
  return fmt::format("{} ({})", one_line(item.comment), title);
}

std::string time_text(std::int64_t time_ns) {
  return time_ns == 0 ? std::string("at an unknown time") : utc_text(time_ns).substr(0, kMinutes);
}

std::string line(const Style& style, Tone tone, std::string_view mark, const SyncItem& item,
                 const std::string& what) {
  return fmt::format("{}{}  {}{}\n", style.paint(tone, mark),
                     style.paint(Tone::title, shown_text(item)), what,
                     item.move.empty() ? "" : "  " + style.paint(Tone::quiet, item.move));
}

std::string from_text(const SyncItem& item) {
  return fmt::format("{}'s version of {}", safe_text(item.device), time_text(item.time_ns));
}

std::string conflict_text(const SyncItem& item, const Style& style) {
  std::string text = line(style, Tone::bad, "✗ ", item,
                          "each has progress that the other does not have: nothing was replaced");
  for (const SyncItem::Side& side : item.sides)
    text += fmt::format("    {}:{}  {}  {}, {} of it filled  {}\n", safe_text(side.device),
                        safe_text(side.bay), time_text(side.time_ns), size_text(side.size),
                        size_text(side.filled),
                        style.paint(Tone::quiet, "@" + side.version.substr(0, 8)));
  if (!item.differs.empty()) text += fmt::format("    differs: {}\n", safe_text(item.differs));
  const SyncItem::Side& first = item.sides.front();
  text += fmt::format("    → choose one: bayswap sync --take {} --from {}\n",
                      shell_word(title_text(item)), shell_word(first.device + ":" + first.bay));
  return text;
}

std::string with_reason(const SyncItem& item, const Style& style, Tone tone, std::string_view mark,
                        const std::string& what) {
  std::string text = line(style, tone, mark, item, what);
  if (item.reason) text += finding_text(*item.reason, style, 4);
  return text;
}

std::string named_few(const std::vector<SyncItem>& items) {
  constexpr std::size_t kMost = 4;
  std::vector<std::string> names;
  for (const SyncItem& item : items)
    if (names.size() < kMost) names.push_back(shown_text(item));
  if (items.size() > kMost) names.push_back(fmt::format("{} more", items.size() - kMost));
  return list_text(names);
}

// Many saves may have no game here: they are named in one place.
std::string unmatched_text(const std::vector<SyncItem>& items, const Style& style) {
  if (items.empty()) return {};
  const std::string what =
      fmt::format("{} on the hub {} no place here: {}", counted(items.size(), "save"),
                  items.size() == 1 ? "has" : "have", named_few(items));
  std::string text = style.paint(Tone::quiet, "· ") + wrapped(what, style.width(), 2) + "\n";
  for (const SyncItem& item : items)
    if (item.reason && item.reason->code != Code::no_match)
      text += finding_text(*item.reason, style, 4);
  return text +
         fmt::format("    → copy the game here, or bring one by name: bayswap sync --bring {}\n",
                     shell_word(title_text(items.front())));
}

std::string at(const SyncItem& item) {
  return item.bay.empty() ? std::string() : fmt::format(" in {}", safe_text(item.bay));
}

}  // namespace

std::string sync_text(const SyncReport& report, const Style& style) {
  std::string text;
  const std::string would = report.plan ? "would be " : "";
  for (const SyncItem& item : report.settled)
    text += line(style, Tone::good, "✓ ", item,
                 fmt::format("{}settled with {}", would, from_text(item)));
  for (const SyncItem& item : report.published)
    text += line(style, Tone::good, "↑ ", item,
                 fmt::format("{}sent to the hub from {}", would, safe_text(item.bay)));
  for (const SyncItem& item : report.carried)
    text += line(style, Tone::good, "↓ ", item,
                 fmt::format("{}carried to {}: {}", would, safe_text(item.bay), from_text(item)));
  for (const SyncItem& item : report.conflicts) text += conflict_text(item, style);
  for (const SyncItem& item : report.held)
    text += with_reason(item, style, Tone::bad, "✗ ", fmt::format("held back{}", at(item)));
  for (const SyncItem& item : report.missing)
    text += with_reason(item, style, Tone::warn, "! ", fmt::format("missing{}", at(item)));
  text += unmatched_text(report.unmatched, style);
  text += findings_text(report.notes, style, 0);
  if (report.in_step > 0 || text.empty())
    text += fmt::format("{} in step\n", counted(report.in_step, "save"));
  if (!report.safe_to_remove.empty())
    text += fmt::format("safe to remove: {}\n", path_text(report.safe_to_remove));
  return text;
}

std::string event_text(const WatchEvent& event, const Style& style) {
  switch (event.what) {
    case WatchEvent::What::begun: return "watching; CTRL-C ends it\n";
    case WatchEvent::What::synced: return sync_text(event.report, style);
    case WatchEvent::What::waiting:
      return style.paint(Tone::quiet, "· ") + safe_text(event.program) +
             " still has a save open: it is synced when that is closed\n";
    case WatchEvent::What::failed:
      return style.paint(Tone::bad, "✗ ") + event.error->text + "\n" +
             "  → it goes on by itself when that is back\n";
    case WatchEvent::What::back: return style.paint(Tone::good, "✓ ") + "it can be reached again\n";
    case WatchEvent::What::ended: return "ended; nothing is half-done\n";
  }
  return {};
}

namespace {

std::string unsent_text(const std::vector<SyncItem>& items, const Style& style) {
  if (items.empty()) return {};
  return style.paint(Tone::warn, "! ") +
         wrapped(fmt::format("not on the hub yet: {}", named_few(items)), style.width(), 2) +
         "\n    → bayswap sync\n";
}

// Six in a line: they are copied by hand.
std::string words_text(const HubReport& report, const Style& style) {
  if (!report.words) return {};
  std::string text =
      "\n  The hub is sealed. These words open it on your next device; they are shown only now:\n";
  std::istringstream words(*report.words);
  std::string word;
  for (std::size_t i = 0; words >> word; ++i)
    text +=
        fmt::format("{}{}", i % 6 == 0 ? "\n    " : "", style.paint(Tone::title, padded(word, 9)));
  return text +
         "\n\n  Write them down: without them and without a device that joined, nobody reads the "
         "hub.\n";
}

}  // namespace

std::string hub_text(const HubReport& report, const Style& style) {
  std::string text =
      fmt::format("{}  this device is {}\n", style.paint(Tone::title, safe_text(report.where)),
                  style.paint(Tone::title, safe_text(report.device)));
  for (const HubReport::Device& device : report.devices)
    text += fmt::format("  {}  last wrote {}, has the newest version of {}\n",
                        padded(safe_text(device.name) + (device.own ? " (here)" : ""), 18),
                        time_text(device.seen_ns), counted(device.newest, "save"));
  if (report.devices.empty()) text += "  no device has synced yet: bayswap sync\n";
  text += fmt::format("  {} in {}, {}", counted(report.saves, "save"),
                      counted(report.versions, "version"), size_text(report.bytes));
  if (report.conflicts > 0) text += fmt::format(", {}", counted(report.conflicts, "conflict"));
  if (report.waiting > 0)
    text += fmt::format(", {} that follow unknown ones", counted(report.waiting, "version"));
  if (report.sealed) text += ", sealed";
  text += "\n" + unsent_text(report.unsent, style) + unmatched_text(report.unmatched, style) +
          words_text(report, style);
  return text + findings_text(report.notes, style, 2);
}

std::string checked_text(const HubChecked& checked, const Style& style) {
  const std::string what =
      fmt::format("{} and {} read and hashed", counted(checked.entries, "journal page"),
                  counted(checked.objects, "object"));
  if (checked.damaged.empty()) return style.paint(Tone::good, "✓ ") + what + ": all are whole\n";
  return style.paint(Tone::bad, "✗ ") + what + "\n" + findings_text(checked.damaged, style, 2);
}

std::string tidied_text(const HubTidied& tidied, bool plan, const Style& style) {
  const std::string mark = style.paint(Tone::good, "✓ ");
  if (tidied.versions == 0 && tidied.objects == 0) return mark + "nothing to tidy\n";
  return fmt::format("{} {}: {}, {}\n", plan ? "would remove" : mark + "removed",
                     counted(tidied.versions, "old version"), counted(tidied.objects, "object"),
                     size_text(tidied.bytes));
}

}  // namespace bayswap::cli
