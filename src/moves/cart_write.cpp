// A save onto a cartridge, and back.
#include <fmt/core.h>

#include <algorithm>

#include "bayswap/cart.h"
#include "core/bytes/text.h"
#include "core/layouts/cartridge/chips.h"
#include "files/clock.h"
#include "moves/carry_checks.h"
#include "moves/cart_open.h"
#include "moves/mover.h"
#include "places/inspect.h"

namespace bayswap {
namespace {

constexpr std::string_view kKind = "cart write";

// What the cartridge holds and what it is to hold.
struct Contents {
  const CartridgeArea* area = nullptr;
  Bytes before;
  Bytes wanted;
};

// A cartridge that is written: history first, then the chip, then what became of it.
class CartWriter {
 public:
  CartWriter(Session& session, OpenCart& cart) : session_(session), cart_(cart) {}

  /// Records the move, writes, and says how it ended. Errors: Trouble::read_back.
  Result<std::string> write(const Contents& contents, History& history, MoveRecord move) {
    const auto before = history.keep(contents.before);
    if (!before) return tl::unexpected(before.error());
    const auto after = history.keep(contents.wanted);
    if (!after) return tl::unexpected(after.error());
    const auto command = history.begin_command(move.kind, now_ns());
    if (!command) return tl::unexpected(command.error());
    move.command = *command;
    move.time_ns = now_ns();
    move.title = cart_.report.game.title;
    move.place = cart_.report.port;
    Step step;
    step.path = history_name(cart_, *contents.area);
    step.before = {*before, 0, 0644};
    step.after = {*after, move.time_ns, 0644};
    move.steps = {std::move(step)};
    if (auto begun = history.begin_move(move); !begun) return tl::unexpected(begun.error());
    // From here on history knows both, whatever happens to the cartridge. No later run has to
    // settle anything: the next write, or an undo, goes on from what the chip holds then.
    move.state = MoveState::done;
    if (auto done = history.finish_move(move); !done) return tl::unexpected(done.error());
    if (auto marked = history.mark(move.id, MoveState::done); !marked)
      return tl::unexpected(marked.error());
    return on_chip(contents, history, move);
  }

 private:
  Result<std::string> on_chip(const Contents& contents, History& history, const MoveRecord& move) {
    auto outcome = cart_.cartridge.write(*contents.area, contents.before, contents.wanted);
    if (!outcome && outcome.error().code == Code::cancelled)
      return put_back(contents, history, move, outcome.error());
    if (!outcome) return neither(outcome.error());
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
  Result<std::string> put_back(const Contents& contents, History& history, const MoveRecord& move,
                               const Error& why) {
    cart_.cartridge.finish_without_asking();
    const auto now = cart_.cartridge.dump(*contents.area);
    if (!now) return neither(now.error());
    const auto back = cart_.cartridge.write(*contents.area, now->bytes, contents.before);
    if (!back || back->end != WriteEnd::done) return neither(back ? why : back.error());
    (void)history.mark(move.id, MoveState::rolled_back);
    return fail(Trouble::stopped, Code::cancelled,
                "stopped; the old save is back on the cartridge, and it is safe to take it out", "");
  }

  static tl::unexpected<Error> neither(const Error& why) {
    return fail(Trouble::read_back, why.code,
                fmt::format("{}: the cartridge now holds neither the old save nor the new one",
                            why.text),
                {"nothing is lost: history holds both. With the same cartridge in, write it again, "
                 "or put the old save back with '",
                 Remedy::undo, "'"});
  }

  static std::string pages_text(const std::vector<std::uint64_t>& pages) {
    constexpr std::size_t kMost = 8;
    std::vector<std::string> numbers;
    for (const std::uint64_t page : pages)
      if (numbers.size() < kMost) numbers.push_back(std::to_string(page));
    return fmt::format("{} ({}{})", counted(pages.size(), "page"), list_text(numbers),
                       pages.size() > kMost ? " …" : "");
  }

  Session& session_;
  OpenCart& cart_;
};

// What is on the chip, as sure as it gets.
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

// A save file on its way to a cartridge.
class SaveToCart {
 public:
  SaveToCart(Session& session, OpenCart& cart, const CartWriteRequest& request)
      : session_(session), cart_(cart), request_(request), checks_(request.accept), folders_(session) {}

  Result<CarryReport> run() {
    line_.to = cart_.report.port;
    line_.cartridge = true;
    line_.game = cart_.report.game;
    line_.system = cart_.report.system;
    line_.from = {request_.save.string()};
    const CartridgeArea* area = save_area(cart_);
    if (area == nullptr) {
      checks_.add({Level::error, Code::no_match, "the reader finds no save chip on the cartridge",
                   "check the contacts; some games keep no save"});
      return report();
    }
    if (auto read = read_save(*area); !read) return tl::unexpected(read.error());
    if (checks_.stopped()) return report();
    auto before = present_save(cart_, *area);
    if (!before) return tl::unexpected(before.error());
    contents_ = {area, std::move(*before), std::move(wanted_)};
    line_.size = contents_.wanted.size();
    line_.replaces = true;
    if (contents_.before == contents_.wanted) {
      line_.nothing_to_do = true;
      line_.status = MoveStatus::done;
      return report();
    }
    return write();
  }

 private:
  Result<void> read_save(const CartridgeArea& area) {
    InspectOptions how;
    how.is = or_empty(request_.is);
    how.system = cart_.report.system;
    how.expected = cart_.rom;
    auto found = inspect(session_, folders_, request_.save, how);
    if (!found) return tl::unexpected(found.error());
    if (found->state) {
      const Finding state = state_finding("its form or size fits no save chip");
      checks_.add({Level::error, state.code, state.text, state.hint});
      return {};
    }
    const Layout* layout = found->layout();
    if (layout == nullptr) {
      const Finding why = judge_unknown(*found).front();
      checks_.add({Level::error, Code::no_match, why.text, why.hint});
      return {};
    }
    auto content = layout->read(found->view.bytes(), found->hints);
    if (!content) return tl::unexpected(content.error());
    if (content->saves.empty()) return {};
    line_.from_layout = layout->info().id;
    if (found->rom)
      if (auto differs = compare_games(*found->rom, cart_.rom, session_.catalog))
        checks_.add(std::move(*differs));
    take_part(content->saves.front(), area);
    return {};
  }

  // The chip's bytes out of the save.
  void take_part(const Save& save, const CartridgeArea& area) {
    const Part* part = save.part(area.chip);
    if (save.system != cart_.report.system || part == nullptr) {
      checks_.add({Level::error, Code::chip_differs,
                   fmt::format("the cartridge keeps its progress on {} of {}, and the save has none "
                               "of that chip",
                               area.chip, size_text(*area.size)),
                   {"name a save of this game, or say what it is with ", Remedy::layout_of_input}});
      return;
    }
    if (part->blank)
      checks_.add({Level::error, Code::blank_source,
                   "the save is blank: it would wipe the progress on the cartridge",
                   {"name a save with progress in it, or wipe it with ",
                    accept_remedy(Code::blank_source)}});
    Findings losses;
    auto sized = resized(*part, *area.size, std::byte{0xFF}, losses);
    for (Finding& loss : losses) {
      loss.code = Code::chip_differs;
      loss.text = fmt::format("the chip on the cartridge has {}, and the save {}",
                              size_text(*area.size), size_text(part->data.size()));
      checks_.add(std::move(loss));
    }
    if (!sized) {
      // Nothing can be written that does not fit, whatever is accepted.
      unfit_ = true;
      return;
    }
    wanted_ = std::move(*sized);
    line_.parts = {area.chip};
    line_.chip = fmt::format("{} of {} (found by the reader)", area.chip, size_text(*area.size));
  }

  Result<CarryReport> write() {
    auto history = recovered_history(*session_.storage, session_.history_file());
    if (!history) return tl::unexpected(history.error());
    check_newer(*history);
    if (checks_.stopped()) return report();
    if (request_.plan) {
      line_.status = MoveStatus::planned;
      return report();
    }
    MoveRecord move;
    move.kind = kKind;
    move.source = request_.save.string();
    auto done = CartWriter(session_, cart_).write(contents_, *history, std::move(move));
    if (!done) return tl::unexpected(done.error());
    line_.move = std::move(*done);
    line_.status = MoveStatus::done;
    return report();
  }

  // History may know the save as an older one of this cartridge.
  void check_newer(const History& history) {
    const auto older = history.replaced_at(history_name(cart_, *contents_.area));
    const Digest wanted = version_digest(contents_.wanted);
    if (older && std::ranges::find(*older, wanted) != older->end())
      checks_.add({Level::error, Code::newer_there,
                   "history knows this save as an older version of what is on the cartridge",
                   {"keep what is there, or go back with ", accept_remedy(Code::newer_there)}});
  }

  Result<CarryReport> report() {
    line_.checks = checks_.found();
    if (checks_.stopped() || unfit_) line_.status = MoveStatus::stopped;
    CarryReport made;
    made.moves.push_back(std::move(line_));
    return made;
  }

  Session& session_;
  OpenCart& cart_;
  const CartWriteRequest& request_;
  Checks checks_;
  RomFolders folders_;
  MoveReport line_;
  Bytes wanted_;
  Contents contents_;
  bool unfit_ = false;
};

// The move that undo() would take back; nothing when it wrote no cartridge.
std::optional<MoveRecord> cart_move(const History& history, const std::string& name) {
  std::optional<MoveRecord> found;
  if (const auto id = parse_move_name(name)) {
    if (auto move = history.move(*id)) found = std::move(*move);
  } else if (name.empty()) {
    if (auto moves = history.last_command(); moves && moves->size() == 1)
      found = std::move(moves->front());
  }
  const bool stands = found && found->state == MoveState::done && !found->steps.empty() &&
                      is_on_cartridge(found->steps.front().path);
  return stands ? std::move(found) : std::nullopt;
}

}  // namespace

Result<CarryReport> write_cart(Session& session, const CartAccess& access,
                               const CartWriteRequest& request) {
  if (is_missing(*session.storage, request.save))
    return fail(Trouble::input, Code::missing,
                fmt::format("{}: nothing is there", safe_text(request.save.string())));
  auto cart = open_cart(session, access);
  if (!cart) return tl::unexpected(cart.error());
  return SaveToCart(session, *cart, request).run();
}

bool wrote_cart(Session& session, const std::string& move) {
  if (is_missing(*session.storage, session.history_file())) return false;
  const auto history = History::open_to_read(*session.storage, session.history_file());
  return history && *history && cart_move(**history, move).has_value();
}

Result<CarryReport> undo_cart(Session& session, CartAccess access, const std::string& name,
                              const std::set<Code>& accept) {
  auto history = recovered_history(*session.storage, session.history_file());
  if (!history) return tl::unexpected(history.error());
  const auto move = cart_move(*history, name);
  if (!move)
    return fail(Trouble::stopped, Code::no_match, "that move wrote no cartridge",
                {"'", Remedy::show_history, "' lists the moves"});
  if (!access.port) access.port = move->place;
  auto cart = open_cart(session, access);
  if (!cart) {
    Error error = cart.error();
    if (error.code == Code::link_lost)
      error.hint = {"plug the reader in, or name the port that it has now with ", Remedy::port};
    return tl::unexpected(error);
  }
  const Step& step = move->steps.front();
  const auto& areas = cart->cartridge.areas();
  const auto area = std::ranges::find_if(areas, [&](const CartridgeArea& one) {
    return history_name(*cart, one) == step.path;
  });
  if (area == areas.end())
    return fail(Trouble::stopped, Code::other_game,
                fmt::format("the cartridge in the reader is {}, and the move wrote {}",
                            cart->report.game.title.empty() ? "another one"
                                                            : safe_text(cart->report.game.title),
                            safe_text(move->title)),
                "put that cartridge in");
  auto now = present_save(*cart, *area);
  if (!now) return tl::unexpected(now.error());
  auto before = history->content(*step.before.digest);
  if (!before) return tl::unexpected(before.error());
  const auto after = history->content(*step.after.digest);
  CarryReport report;
  MoveReport line;
  line.move = move_name(move->id);
  line.from = {"history"};
  line.to = cart->report.port;
  line.cartridge = true;
  line.game = cart->report.game;
  line.system = cart->report.system;
  line.replaces = true;
  line.size = before->size();
  Checks checks(accept);
  // A write that was cut off leaves something that is neither.
  const bool known = *now == *before || (after && *now == *after);
  if (!known && after && now->size() == after->size()) {
    std::size_t mixed = 0;
    for (std::size_t i = 0; i < now->size(); ++i)
      mixed += (*now)[i] != (*before)[i] && (*now)[i] != (*after)[i] ? 1 : 0;
    if (mixed > 0)
      checks.add({Level::error, Code::newer_there,
                  "the cartridge was played on since the move, and that progress would go",
                  {"keep it, or let it go with ", accept_remedy(Code::newer_there),
                   " (it goes into history)"}});
  }
  line.checks = checks.found();
  if (!checks.stopped()) {
    MoveRecord back;
    back.kind = "undo";
    back.source = "history";
    back.undoes = move->id;
    auto done = CartWriter(session, *cart)
                    .write({&*area, std::move(*now), std::move(*before)}, *history, std::move(back));
    if (!done) return tl::unexpected(done.error());
    (void)history->mark(move->id, MoveState::undone);
    line.status = MoveStatus::done;
  }
  report.moves.push_back(std::move(line));
  return report;
}

}  // namespace bayswap
