#include "cli/render/remedies.h"

#include <fmt/core.h>

#include "bayswap/bay.h"
#include "cli/render/shell.h"

namespace bayswap::cli {
namespace {

// The command, with what it is about where that is known.
std::string about(std::string_view command, const std::string& with) {
  return with.empty() ? std::string(command) : fmt::format("{} {}", command, shell_word(with));
}

// The command or option, with what it is about or a word for it.
std::string about(std::string_view command, std::string_view usual, const std::string& with) {
  return fmt::format("{} {}", command, with.empty() ? std::string(usual) : shell_word(with));
}

// A remedy that is a command of its own.
std::string command_text(Remedy remedy, const std::string& with) {
  switch (remedy) {
    case Remedy::look: return about("bayswap look", with);
    case Remedy::compare: return "bayswap look A B";
    case Remedy::show_history: return about("bayswap history", with);
    case Remedy::export_history: return "bayswap history export";
    case Remedy::keep: return "bayswap keep PATH";
    case Remedy::undo: return "bayswap undo";
    case Remedy::carry: return about("bayswap carry", with);
    case Remedy::wait_for_program: return "bayswap carry --wait SECONDS";
    case Remedy::convert: return "bayswap reshape IN --as LAYOUT -o OUT";
    case Remedy::pack_state: return "bayswap reshape STATE --as state-gzip -o OUT";
    case Remedy::relabel: return "bayswap reshape CARD:NAME --code CODE -o OUT";
    case Remedy::dig_state:
      return with.empty()
                 ? "bayswap state dig"
                 : fmt::format("bayswap state dig {} --like OLDER -o OUT", shell_word(with));
    case Remedy::show_card: return about("bayswap card show", with);
    case Remedy::take_from_card: return "bayswap card take";
    case Remedy::put_on_card: return about("bayswap card put", with);
    case Remedy::put_on_inner_card: return "bayswap card put FILE:PART SAVE";
    case Remedy::put_in_package: return "bayswap card put PACKAGE FILE";
    case Remedy::new_card: return "bayswap card new";
    case Remedy::mend_card:
      return with.empty() ? "bayswap card mend CARD -o NEWCARD"
                          : fmt::format("bayswap card mend {} -o {}", shell_word(with),
                                        shell_word(with + ".mended"));
    case Remedy::learn_bay:
      return fmt::format("bayswap bay learn {} FOLDER", is_bay_name(with) ? with : "NAME");
    case Remedy::learn_with_roms: return "bayswap bay learn NAME FOLDER --roms ROMFOLDER";
    case Remedy::show_bay: return about("bayswap bay show", with);
    case Remedy::list_bays: return "bayswap bay list";
    case Remedy::list_layouts: return "bayswap layouts";
    case Remedy::field_map: return "--map FILE";
    case Remedy::show_fields: return "bayswap field show SAVE";
    case Remedy::join_hub: return "bayswap hub join FOLDER";
    case Remedy::say_words: return "type them at a terminal, or put them in BAYSWAP_HUB_WORDS";
    case Remedy::show_hub: return "bayswap hub show";
    case Remedy::check_hub: return "bayswap hub check";
    case Remedy::settle_conflict:
      return fmt::format("bayswap sync --take {} --from DEVICE", shell_word(with));
    case Remedy::bring_save: return about("bayswap sync --bring", "SAVE", with);
    case Remedy::forget_save: return about("bayswap sync --forget", "SAVE", with);
    case Remedy::write_cart: return about("bayswap cart write", "FILE", with);
    default: return {};
  }
}

// A remedy that is said with the command that was called.
std::string option_text(Remedy remedy, const std::string& with) {
  switch (remedy) {
    case Remedy::accept: return about("--accept", "CODE", with);
    case Remedy::layout_of_input: return about("--is", "LAYOUT", with);
    case Remedy::layout_of_output: return "--as LAYOUT";
    case Remedy::output_file: return "-o OUT";
    case Remedy::older_save: return "--like FILE";
    case Remedy::rom: return "--rom FILE";
    case Remedy::game: return "--game TEXT";
    case Remedy::system: return about("--system", "ID", with);
    case Remedy::account: return about("--account", "ID", with);
    case Remedy::code: return about("--code", "CODE", with);
    case Remedy::slot: return "--slot";
    case Remedy::free_slot: return "--slot free";
    case Remedy::candidate: return "--choose N";
    case Remedy::replace: return "--replace";
    case Remedy::to_bay: return about("--to", "BAY", with);
    case Remedy::from_bay: return "--from BAY";
    case Remedy::all_saves: return "--all";
    case Remedy::each_part: return "--split";
    case Remedy::port: return "--port PORT";
    case Remedy::wait_for_switch: return "--wait";
    default: return {};
  }
}

}  // namespace

std::string hint_text(const Hint& hint) {
  return hint.text([](Remedy remedy, const std::string& with) {
    const std::string command = command_text(remedy, with);
    return command.empty() ? option_text(remedy, with) : command;
  });
}

}  // namespace bayswap::cli
