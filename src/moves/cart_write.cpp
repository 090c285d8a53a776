// A save onto a cartridge, and back.
#include <fmt/core.h>

#include <algorithm>
#include <iterator>

#include "bayswap/cart.h"
#include "core/bytes/text.h"
#include "moves/cart_writer.h"
#include "moves/mover.h"
#include "places/inspect.h"

namespace bayswap {
namespace {

constexpr std::string_view kKind = "cart write";

// A save file on its way to a cartridge.
class SaveToCart {
 public:
  SaveToCart(Session& session, OpenCart& cart, const CartWriteRequest& request)
      : session_(session),
        cart_(cart),
        request_(request),
        checks_(request.accept),
        folders_(session) {}

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
    if (checks_.stopped() || !wanted_) return report();
    auto before = present_save(cart_, *area);
    if (!before) return tl::unexpected(before.error());
    contents_ = {area, std::move(*before), std::move(*wanted_)};
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
      const Finding state = state_finding("its form or size matches no save chip");
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
    wanted_ = chip_bytes(content->saves.front(), cart_, area, checks_);
    line_.parts = {area.chip};
    line_.chip = fmt::format("{} of {} (found by the reader)", area.chip, size_text(*area.size));
    return {};
  }

  Result<CarryReport> write() {
    auto history = recovered_history(*session_.storage, session_.history_file());
    if (!history) return tl::unexpected(history.error());
    check_older(&*history, cart_, contents_, checks_);
    if (checks_.stopped()) return report();
    if (request_.plan) {
      line_.status = MoveStatus::planned;
      return report();
    }
    MoveRecord move;
    move.kind = kKind;
    move.source = request_.save.string();
    CartWriter writer(cart_);
    auto done = writer.write(contents_, *history, std::move(move));
    if (!done) return tl::unexpected(done.error());
    for (const Finding& note : writer.notes()) checks_.note(note);
    line_.move = std::move(*done);
    line_.status = MoveStatus::done;
    return report();
  }

  Result<CarryReport> report() {
    line_.checks = checks_.found();
    if (checks_.stopped()) line_.status = MoveStatus::stopped;
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
  std::optional<Bytes> wanted_;
  ChipContents contents_;
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

namespace {

// The area that a move wrote, on the cartridge that is in the reader now.
Result<const CartridgeArea*> area_of(const MoveRecord& move, const OpenCart& cart) {
  for (const CartridgeArea& area : cart.cartridge.areas())
    if (history_name(cart, area) == move.steps.front().path) return &area;
  const std::string& title = cart.report.game.title;
  return fail(Trouble::stopped, Code::other_game,
              fmt::format("the cartridge in the reader is {}, and the move wrote {}",
                          title.empty() ? "another one" : safe_text(title), safe_text(move.title)),
              "put that cartridge in");
}

// Whether a chip holds something that is neither the old save nor the new one, nor a mixture of the
// two as a write that was cut off leaves it.
bool was_played_on(ByteView now, ByteView before, ByteView after) {
  if (now.size() != before.size() || now.size() != after.size()) return false;
  for (std::size_t i = 0; i < now.size(); ++i)
    if (now[i] != before[i] && now[i] != after[i]) return true;
  return false;
}

MoveReport line_of(const MoveRecord& move, const OpenCart& cart, std::uint64_t size) {
  MoveReport line;
  line.move = move_name(move.id);
  line.from = {"history"};
  line.to = cart.report.port;
  line.cartridge = true;
  line.game = cart.report.game;
  line.system = cart.report.system;
  line.replaces = true;
  line.size = size;
  return line;
}

}  // namespace

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
  const auto area = area_of(*move, *cart);
  if (!area) return tl::unexpected(area.error());
  const Step& step = move->steps.front();
  auto before = history->content(*step.before.digest);
  if (!before) return tl::unexpected(before.error());
  const auto after = history->content(*step.after.digest);
  if (!after) return tl::unexpected(after.error());
  auto now = present_save(*cart, **area);
  if (!now) return tl::unexpected(now.error());
  CarryReport report;
  MoveReport line = line_of(*move, *cart, before->size());
  Checks checks(accept);
  if (was_played_on(*now, *before, *after))
    checks.add({Level::error,
                Code::newer_there,
                "the cartridge was played on since the move, and that progress would go",
                {"keep it, or give it up with ", accept_remedy(Code::newer_there),
                 " (it goes into history)"}});
  line.checks = checks.found();
  if (!checks.stopped()) {
    MoveRecord back;
    back.kind = "undo";
    back.source = "history";
    back.undoes = move->id;
    const ChipContents contents{*area, std::move(*now), std::move(*before)};
    CartWriter writer(*cart);
    auto done = writer.write(contents, *history, std::move(back));
    if (!done) return tl::unexpected(done.error());
    std::ranges::copy(writer.notes(), std::back_inserter(line.checks));
    (void)history->mark(move->id, MoveState::undone);
    line.status = MoveStatus::done;
  }
  report.moves.push_back(std::move(line));
  return report;
}

}  // namespace bayswap
