#include <algorithm>

#include "bayswap/code.h"

namespace bayswap {

const std::vector<CodeInfo>& all_codes() {
  // In the order of the enumeration, which to_string() relies on.
  static const std::vector<CodeInfo> kCodes{
      {Code::state_not_save, "state-not-save", true,
       "the file is a save state, which only its program reads"},
      {Code::other_game, "other-game", true, "the save belongs to another game"},
      {Code::region_differs, "region-differs", true,
       "the save belongs to the game of another region"},
      {Code::chip_differs, "chip-differs", true, "the game keeps its progress on another chip"},
      {Code::blank_source, "blank-source", true, "the save holds no progress"},
      {Code::in_use, "in-use", true, "another program holds or changes the file"},
      {Code::no_room, "no-room", true, "it does not fit"},
      {Code::name_taken, "name-taken", true, "something else has that name"},
      {Code::already_there, "already-there", true, "the same progress is there: nothing to do"},
      {Code::newer_there, "newer-there", true, "what is there is younger, or known as newer"},
      {Code::damaged, "damaged", true, "bytes do not agree with their own checks"},
      {Code::loses_parts, "loses-parts", true, "progress would be left out"},
      {Code::no_match, "no-match", true, "nothing fits what was asked for"},
      {Code::many_match, "many-match", true, "several fit, and it can't be told which is meant"},
      {Code::other_program, "other-program", true, "the states there are those of another program"},
      {Code::much_smaller, "much-smaller", true, "most of the progress is gone"},
      {Code::both_changed, "both-changed", true, "both sides changed since they were last equal"},
      {Code::read_only, "read-only", true, "the file is protected against writing"},
      {Code::not_legal, "not-legal", true, "a value breaks a rule of its field map"},
      {Code::bad_bays, "bad-bays", false, "bays.toml can't be used"},
      {Code::bad_catalog, "bad-catalog", false, "a catalog file can't be used"},
      {Code::bad_list, "bad-list", false, "a game list can't be read"},
      {Code::bad_map, "bad-map", false, "a field map can't be used"},
      {Code::bad_name, "bad-name", false, "a value does not fit its field"},
      {Code::bad_pattern, "bad-pattern", false, "a naming pattern can't be used"},
      {Code::cancelled, "cancelled", false, "stopped on request"},
      {Code::exists, "exists", false, "a new name is taken"},
      {Code::history_damaged, "history-damaged", false, "the database of the history is damaged"},
      {Code::history_failed, "history-failed", false, "the history can't be read or written"},
      {Code::link, "link", false, "a link leads out of the place"},
      {Code::link_lost, "link-lost", false, "the reader does not answer"},
      {Code::locked, "locked", false, "a password is wanted"},
      {Code::missing, "missing", false, "nothing is there"},
      {Code::mould_differs, "mould-differs", false, "the file to imitate is of another kind"},
      {Code::no_cartridge, "no-cartridge", false, "no cartridge is in the reader"},
      {Code::no_home, "no-home", false, "there is no place for settings"},
      {Code::hub_damaged, "hub-damaged", false, "bytes on the hub do not agree with their hash"},
      {Code::hub_differs, "hub-differs", false, "it is not the hub that was joined"},
      {Code::hub_failed, "hub-failed", false, "the hub can't be reached or written"},
      {Code::other_cartridge, "other-cartridge", false, "another cartridge is in the reader"},
      {Code::pack_failed, "pack-failed", false, "the bytes could not be compressed"},
      {Code::picture_failed, "picture-failed", false, "the picture could not be made"},
      {Code::place_failed, "place-failed", false, "the place can't be reached or written"},
      {Code::read_back, "read-back", false, "what was written read back differently"},
      {Code::reader_failed, "reader-failed", false, "the reader answers with an error"},
      {Code::tidied_away, "tidied-away", false, "history no longer has the content"},
      {Code::too_large, "too-large", false, "larger than anything of its kind"},
      {Code::too_much, "too-much", false, "more than can be worked through"},
      {Code::unexpected, "unexpected", false, "something else than a file or folder is in the way"},
      {Code::unknown_bay, "unknown-bay", false, "no bay has that name"},
      {Code::unknown_layout, "unknown-layout", false, "no layout has that id"},
      {Code::unreadable, "unreadable", false, "it can't be read"},
      {Code::unsettled, "unsettled", false, "a move that was cut off waits to be finished"},
      {Code::unsteady, "unsteady", false, "a cartridge reads differently each time"},
      {Code::usage, "usage", false, "the request makes no sense"},
      {Code::wrong_code, "wrong-code", false, "the code is of another form"},
      {Code::wrong_size, "wrong-size", false, "no such layout has this size"},
      {Code::wrong_volts, "wrong-volts", false, "the reader's voltage is not the cartridge's"},
      {Code::write_failed, "write-failed", false, "a chip did not take what was written"},
      {Code::account, "account", false, "the account that the save goes under"},
      {Code::assumed, "assumed", false, "something that was taken for granted"},
      {Code::blank_battery, "blank-battery", false, "nothing is saved on the chip"},
      {Code::card_inside, "card-inside", false, "a memory card is a part of the save"},
      {Code::clock_out_of_range, "clock-out-of-range", false, "the clock shows no real time"},
      {Code::clock_unset, "clock-unset", false, "the clock was never set"},
      {Code::companion, "companion", false, "a second file that belongs to it"},
      {Code::companion_left, "companion-left", false, "a shared file was left as it is"},
      {Code::empty_file, "empty-file", false, "the file has no bytes"},
      {Code::half_written, "half-written", false, "the file ends too early"},
      {Code::header_check, "header-check", false, "the check of a header fails"},
      {Code::kept_surroundings, "kept-surroundings", false,
       "header and trailer of the file there were kept"},
      {Code::likeness, "likeness", true, "files are alike, but fewer than wanted"},
      {Code::linked, "linked", false, "the file has other names"},
      {Code::new_account, "new-account", false, "no save there is under the account"},
      {Code::new_card, "new-card", false, "a card is made for the game"},
      {Code::no_saved_game, "no-saved-game", false, "the folder holds no saved game"},
      {Code::not_seen, "not-seen", false, "the program there will not see the save"},
      {Code::owner, "owner", false, "the file belongs to another user"},
      {Code::padded, "padded", false, "the file is larger than the chip"},
      {Code::profile, "profile", false, "a package names another profile"},
      {Code::program_unknown, "program-unknown", false, "nothing tells the program"},
      {Code::purged, "purged", false, "a save that the console marked as gone"},
      {Code::relabelled, "relabelled", false, "the save is labelled for another region"},
      {Code::renamed, "renamed", false, "the file system can't hold the name"},
      {Code::rom_match, "rom-match", false, "why this ROM is the save's game"},
      {Code::same_form, "same-form", false, "the state has the form that was wanted"},
      {Code::saves_not_listed, "saves-not-listed", false, "the saves in it are not listed"},
      {Code::shelf_unsure, "shelf-unsure", false, "several shelves fit equally"},
      {Code::signature, "signature", false, "a signature was not made anew"},
      {Code::spare_lost, "spare-lost", false, "a spare copy is damaged"},
      {Code::stray_blocks, "stray-blocks", false, "blocks belong to no save"},
      {Code::trailer, "trailer", false, "bytes after the save"},
      {Code::trailer_dropped, "trailer-dropped", false, "bytes after the save were left out"},
      {Code::unformatted, "unformatted", false, "the card is not formatted"},
      {Code::unknown, "unknown", false, "nothing tells what it is"},
  };
  return kCodes;
}

std::string_view to_string(Code code) {
  return all_codes()[static_cast<std::size_t>(code)].name;
}

std::optional<Code> parse_code(std::string_view name) {
  const auto& codes = all_codes();
  const auto at = std::ranges::find(codes, name, &CodeInfo::name);
  return at == codes.end() ? std::nullopt : std::optional(at->code);
}

}  // namespace bayswap
