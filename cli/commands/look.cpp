#include <algorithm>
#include <deque>
#include <filesystem>
#include <memory>
#include <optional>

#include "bayswap/cart.h"
#include "bayswap/fields.h"
#include "bayswap/look.h"
#include "cli/commands/commands.h"
#include "cli/render/field.h"
#include "cli/render/json/json.h"
#include "cli/render/overview.h"
#include "cli/render/page.h"
#include "cli/render/text.h"
#include "core/bytes/text.h"
#include "files/clock.h"

namespace bayswap::cli {
namespace {

struct LookArguments {
  std::vector<std::string> paths;
  PageChoice page;
  LookOptions options;
};

// What two dumps of one cartridge have in common.
struct DumpKind {
  std::optional<System> system;
  std::string title;
  std::vector<std::string> parts;

  bool operator==(const DumpKind&) const = default;
};

DumpKind kind_of(const Item& item) {
  DumpKind kind{item.system, item.game.title, {}};
  for (const PartInfo& part : item.parts) kind.parts.push_back(part.name);
  return kind;
}

// Items are printed as they come, so that a large library needs no memory.
class ItemPrinter {
 public:
  /// `keep`: all items, for a page.
  ItemPrinter(Run& run, bool keep) : run_(run), style_(run.style()), keep_(keep) {
    if (run_.json) run_.print("{\"schema\":1,\"items\":[");
  }
  void print(const Item& item) {
    if (keep_) kept_.push_back(item);
    damaged_ = damaged_ || has_error(item.findings);
    items_.push_back(kind_of(item));
    if (items_.size() > 2) items_.pop_back();
    ++count_;
    if (run_.json) {
      run_.print((first_ ? "" : ",\n") + item_json(item));
      first_ = false;
    } else {
      print_text(item_text(item, style_));
      next_step_ = next_step_text(item, style_);
    }
  }
  /// One item of a folder: folders are shown as a table when they are at their end.
  void add_row(const Item& item) {
    if (keep_) kept_.push_back(item);
    damaged_ = damaged_ || has_error(item.findings);
    OverviewRow row = row_of(item);
    // Real folders hold far more other files than saves: they are counted.
    if (row.known || std::ranges::any_of(item.findings, [](const Finding& finding) {
          return finding.level != Level::note;
        }))
      rows_.push_back(std::move(row));
    else
      ++others_;
  }
  void end_folder(const std::string& root) {
    print_text(overview_of(rows_, others_, root, now_ns(), style_));
    rows_.clear();
    others_ = 0;
  }
  /// Of the only item; empty after several, or after a table.
  [[nodiscard]] std::string next_step() const { return count_ == 1 ? next_step_ : ""; }
  [[nodiscard]] const std::vector<Item>& kept() const { return kept_; }
  /// Two files that could be dumps of one cartridge.
  [[nodiscard]] bool two_of_a_kind() const {
    return count_ == 2 && items_.at(0) == items_.at(1) && !items_.at(0).parts.empty();
  }
  void finish(const Error* error, const std::vector<PartDifference>& differences = {}) {
    if (run_.json) {
      run_.print("]" + rest_of_items_json(error, differences));
    } else if (!differences.empty()) {
      run_.print("\n" + differences_text(differences, style_));
    }
    if (damaged_) run_.status = exit_status(Trouble::input);
  }

 private:
  void print_text(const std::string& text) {
    run_.print(first_ ? text : "\n" + text);
    first_ = false;
  }

  Run& run_;
  Style style_;
  bool keep_;
  std::vector<Item> kept_;
  bool first_ = true;
  bool damaged_ = false;
  std::deque<OverviewRow> rows_;
  std::size_t others_ = 0;  // files without a row
  std::vector<DumpKind> items_;
  std::size_t count_ = 0;
  std::string next_step_;
};

bool holds_many(Session& session, const std::string& path, const LookOptions& options) {
  return session.storage->list(path).has_value() && !is_folder_save(session, path, options);
}

bool is_folder(Session& session, const std::string& path) {
  return session.storage->list(path).has_value();
}

// What is missing is said before anything is printed.
// A bay that is a cartridge reader; null for anything else.
const Bay* reader_called(const Session& session, const std::string& name) {
  const auto bay = session.bays.find(name);
  return bay && (*bay)->port ? *bay : nullptr;
}

// What is in a reader, as an item among others.
Result<Item> look_into(Session& session, const Bay& reader) {
  CartAccess access;
  access.port = reader.port;
  auto cart = look_cart(session, access);
  if (!cart) return tl::unexpected(cart.error());
  Item item;
  item.path = reader.name;
  item.system = cart->system;
  item.kind = Kind::battery;
  item.game = std::move(cart->game);
  item.findings = std::move(cart->findings);
  item.details = {{"reader", cart->device}, {"port", cart->port}};
  for (const Chip& chip : cart->chips) {
    PartInfo part;
    part.name = chip.part;
    part.size = chip.size;
    item.size += chip.size;
    item.parts.push_back(std::move(part));
  }
  return item;
}

Result<void> check_arguments(Session& session, const LookArguments& arguments) {
  for (const std::string& path : arguments.paths)
    if (reader_called(session, path) != nullptr)
      continue;
    else if (const auto info = session.storage->info(path); !info)
      return tl::unexpected(info.error());
  if (!arguments.options.is) return {};
  const auto known = find_layout(*arguments.options.is);
  return known ? Result<void>{} : tl::unexpected(known.error());
}

// A folder that is one save is shown as such; the others as a table.
Result<void> look_at(Session& session, const std::string& path, const LookOptions& options,
                     bool json, ItemPrinter& printer) {
  if (const Bay* reader = reader_called(session, path)) {
    const auto item = look_into(session, *reader);
    if (!item) return tl::unexpected(item.error());
    printer.print(*item);
    return {};
  }
  LookOptions how = options;
  how.brief = !json && holds_many(session, path, options);
  auto looked = look(session, path, how, [&](const Item& item) {
    how.brief ? printer.add_row(item) : printer.print(item);
  });
  if (looked && how.brief) printer.end_folder(path);
  return looked;
}

// Two dumps of one cartridge are looked at to see whether they agree.
std::vector<PartDifference> differences_of(Session& session, const LookArguments& arguments,
                                           const LookOptions& options, const ItemPrinter& printer) {
  const auto& paths = arguments.paths;
  if (paths.size() != 2 || !printer.two_of_a_kind() || is_folder(session, paths[0]) ||
      is_folder(session, paths[1]))
    return {};
  auto compared = compare(session, paths[0], paths[1], options);
  return compared ? std::move(*compared) : std::vector<PartDifference>{};
}

// In words of the game, where somebody wrote a field map for it.
std::string fields_that_differ(Session& session, const std::vector<std::string>& paths,
                               const Style& style) {
  FieldRequest first;
  first.save = paths[0];
  FieldRequest second;
  second.save = paths[1];
  const auto changes = diff_fields(session, first, second);
  return changes && !changes->empty() ? field_changes_text(*changes, style) : std::string();
}

Result<void> look_at_all(Session& session, const LookArguments& arguments, Run& run) {
  if (auto fine = check_arguments(session, arguments); !fine) return fine;
  LookOptions options = arguments.options;
  options.hashes = run.json;
  ItemPrinter printer(run, arguments.page.file.has_value());
  for (const std::string& path : arguments.paths) {
    const auto looked = look_at(session, path, options, run.json, printer);
    if (looked) continue;
    printer.finish(&looked.error());
    run.status = exit_status(looked.error().trouble);
    if (!run.json) run.fail(looked.error());
    return {};
  }
  const auto differences = differences_of(session, arguments, options, printer);
  printer.finish(nullptr, differences);
  if (!run.json && arguments.paths.size() == 1) run.print(printer.next_step());
  if (!run.json && !differences.empty())
    run.print(fields_that_differ(session, arguments.paths, run.style()));
  if (!arguments.page.file) return {};
  std::vector<SlotBoard> boards;
  for (const std::string& path : arguments.paths)
    if (auto found = list_states(session, path))
      boards.insert(boards.end(), std::make_move_iterator(found->begin()),
                    std::make_move_iterator(found->end()));
  return write_page(session, run, "look", arguments.page,
                    look_page(joined(arguments.paths, ", "), printer.kept(), boards));
}

}  // namespace

void add_look(Command& app, Run& run) {
  auto arguments = std::make_shared<LookArguments>();
  Command& command = add_command(app, run, "look", "Say what a file is, or what a folder holds",
                                 "bayswap look \"den/saves/Copper Tide (America).srm\"");
  command.add_option("PATH", arguments->paths, "files, folders, or a reader's bay").required();
  command.add_option("--is", arguments->options.is, "the layout, if the bytes alone don't tell")
      .type_name("LAYOUT");
  command.add_option("--rom", arguments->options.rom, "the ROM of the game").type_name("FILE");
  add_page(command, arguments->page);
  command.add_flag("--replace", arguments->page.replace, "overwrite a page that exists");
  command.on_call([arguments, &run] {
    run.with_session([&](Session& session) { return look_at_all(session, *arguments, run); });
  });
}

}  // namespace bayswap::cli
