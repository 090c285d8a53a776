#include "moves/cart_writer.h"

#include <fmt/core.h>

#include <algorithm>

#include "core/bytes/text.h"
#include "core/layouts/cartridge/chips.h"
#include "core/layouts/cartridge/clock.h"
#include "files/clock.h"
#include "reading/part_layouts.h"

namespace bayswap {
namespace {

tl::unexpected<Error> neither(const Error& why) {
  return fail(
      Trouble::read_back, why.code,
      fmt::format("{}: the cartridge now holds neither the old save nor the new one", why.text),
      {"nothing is lost: history holds both. With the same cartridge in, write it again, "
       "or put the old save back with '",
       Remedy::undo, "'"});
}

std::string pages_text(const std::vector<std::uint64_t>& pages) {
  constexpr std::size_t kMost = 8;
  std::vector<std::string> numbers;
  for (const std::uint64_t page : pages)
    if (numbers.size() < kMost) numbers.push_back(std::to_string(page));
  return fmt::format("{} ({}{})", counted(pages.size(), "page"), list_text(numbers),
                     pages.size() > kMost ? " …" : "");
}

}  // namespace

Result<std::string> CartWriter::write(const ChipContents& contents, History& history,
                                      MoveRecord move) {
  const auto before = history.keep(contents.before);
  if (!before) return tl::unexpected(before.error());
  const auto after = history.keep(contents.wanted);
  if (!after) return tl::unexpected(after.error());
  if (move.command == 0) {
    const auto command = history.begin_command(move.kind, now_ns());
    if (!command) return tl::unexpected(command.error());
    move.command = *command;
  }
  move.time_ns = now_ns();
  move.title = cart_.report.game.title;
  move.place = cart_.report.port;
  Step step;
  step.path = history_name(cart_, *contents.area);
  step.before = {*before, 0, 0644};
  step.after = {*after, move.time_ns, 0644};
  move.steps = {std::move(step)};
  // From here on history knows both, whatever happens to the cartridge. The move counts as done, so
  // that no later run tries to settle it: the next write, or an undo, goes on from what the chip
  // holds then.
  move.state = MoveState::done;
  if (auto begun = history.begin_move(move); !begun) return tl::unexpected(begun.error());
  return on_chip(contents, history, move);
}

Result<std::string> CartWriter::on_chip(const ChipContents& contents, History& history,
                                        const MoveRecord& move) {
  auto outcome = cart_.cartridge.write(*contents.area, contents.before, contents.wanted);
  if (!outcome && outcome.error().code == Code::cancelled)
    return put_back(contents, history, move, outcome.error());
  if (!outcome && !cart_.cartridge.touched()) {
    (void)history.mark(move.id, MoveState::rolled_back);
    return tl::unexpected(outcome.error());
  }
  if (!outcome) return neither(outcome.error());
  if (outcome->pages_again > 0)
    notes_.push_back({Level::warn, Code::unsteady,
                      fmt::format("{} did not take at first and {} written again",
                                  counted(outcome->pages_again, "page"),
                                  outcome->pages_again == 1 ? "was" : "were"),
                      "clean the contacts before the next time"});
  if (outcome->end == WriteEnd::done) return move_name(move.id);
  const std::string pages = pages_text(outcome->wrong_pages);
  if (outcome->end == WriteEnd::broken)
    return neither({Trouble::read_back, Code::write_failed,
                    fmt::format("{} did not take what was written", pages), ""});
  (void)history.mark(move.id, MoveState::rolled_back);
  return fail(Trouble::read_back, Code::write_failed,
              fmt::format("{} did not take what was written; the old save is back on the "
                          "cartridge",
                          pages),
              "clean the contacts and try again; a chip that never takes some pages is worn out, "
              "or of another type");
}

// Somebody stopped it: the old content goes back, and nobody is asked any more.
Result<std::string> CartWriter::put_back(const ChipContents& contents, History& history,
                                         const MoveRecord& move, const Error& why) {
  cart_.cartridge.finish_without_asking();
  const auto now = cart_.cartridge.dump(*contents.area);
  if (!now) return neither(now.error());
  const auto back = cart_.cartridge.write(*contents.area, now->bytes, contents.before);
  if (!back || back->end != WriteEnd::done) return neither(back ? why : back.error());
  (void)history.mark(move.id, MoveState::rolled_back);
  return fail(Trouble::stopped, Code::cancelled,
              "stopped; the old save is back on the cartridge, and it is safe to take it out", "");
}

Result<Bytes> present_save(OpenCart& cart, const CartridgeArea& area) {
  auto dump = cart.cartridge.dump(area);
  if (!dump) return tl::unexpected(dump.error());
  if (dump->unsure.empty()) return std::move(dump->bytes);
  return fail(Trouble::input, Code::unsteady,
              fmt::format("{} of the save on the cartridge read differently each time, so nothing "
                          "was written",
                          counted(dump->unsure.size(), "page")),
              "clean the contacts with a little alcohol, let them dry, and try again");
}

Result<Save> save_from_chip(OpenCart& cart, const CartridgeArea& area, Bytes bytes) {
  Save save;
  save.system = cart.report.system;
  save.game = cart.report.game;
  save.parts.push_back(make_part(save.system, area.chip, std::move(bytes)));
  const auto clock = std::ranges::find(cart.cartridge.areas(), "clock", &CartridgeArea::chip);
  if (save.system != System::gb || clock == cart.cartridge.areas().end() ||
      clock->size.value_or(kClock48 + 1) > kClock48)
    return save;
  const auto dump = cart.cartridge.dump(*clock);
  if (!dump) return tl::unexpected(dump.error());
  constexpr std::int64_t kSecond = 1'000'000'000;  // ns
  auto read = clock_on_chip(dump->bytes, static_cast<std::uint64_t>(now_ns() / kSecond));
  if (read && dump->unsure.empty())
    save.parts.push_back(make_part(save.system, "clock", std::move(*read)));
  return save;
}

Result<Save> save_on_cart(OpenCart& cart, const CartridgeArea& area) {
  auto bytes = present_save(cart, area);
  if (!bytes) return tl::unexpected(bytes.error());
  return save_from_chip(cart, area, std::move(*bytes));
}

const Layout* layout_on_cart(const Save& save) {
  if (save.part("clock") != nullptr) {
    const auto layout = find_layout("gb-battery-clock48");
    if (layout) return *layout;
  }
  return native_layout(save.system, save.parts.front());
}

std::optional<Bytes> chip_bytes(const Save& save, const OpenCart& cart, const CartridgeArea& area,
                                Checks& checks) {
  const Part* part = save.part(area.chip);
  if (save.system != cart.report.system || part == nullptr) {
    checks.add(
        {Level::error,
         Code::chip_differs,
         fmt::format("the cartridge keeps its progress on {} of {}, and the save has none of "
                     "that chip",
                     area.chip, size_text(*area.size)),
         {"name a save of this game, or say what it is with ", Remedy::layout_of_input}});
    return std::nullopt;
  }
  if (part->blank)
    checks.add(
        {Level::error,
         Code::blank_source,
         "the save is blank: it would wipe the progress on the cartridge",
         {"name a save with progress in it, or wipe it with ", accept_remedy(Code::blank_source)}});
  if (save.part("clock") != nullptr)
    checks.note({Level::note, Code::assumed,
                 "the clock on the cartridge is left as it runs: it can't be checked whether a "
                 "clock took what was written",
                 "set it in the game"});
  Findings losses;
  auto sized = resized(*part, *area.size, std::byte{0xFF}, losses);
  for (Finding& loss : losses) {
    loss.code = Code::chip_differs;
    loss.text = fmt::format("the chip on the cartridge has {}, and the save {}",
                            size_text(*area.size), size_text(part->data.size()));
    checks.add(std::move(loss));
  }
  return sized;
}

void check_older(const History* history, const OpenCart& cart, const ChipContents& contents,
                 Checks& checks) {
  if (history == nullptr) return;
  const auto older = history->replaced_at(history_name(cart, *contents.area));
  const Digest wanted = version_digest(contents.wanted);
  if (older && std::ranges::find(*older, wanted) != older->end())
    checks.add({Level::error,
                Code::newer_there,
                "history knows this save as an older version of what is on the cartridge",
                {"keep what is there, or go back with ", accept_remedy(Code::newer_there)}});
}

}  // namespace bayswap
