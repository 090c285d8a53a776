// Library bayswap_core, usable from any thread. The codes of findings, checks and errors: stable
// names for scripts, in one table.
#pragma once

#include <optional>
#include <string_view>
#include <vector>

#pragma GCC visibility push(default)

namespace bayswap {

/// What is the matter. src/core/model/codes.cpp has the name of each and what it means.
enum class Code {
  // Checks that a user can let through:
  state_not_save,
  other_game,
  region_differs,
  chip_differs,
  blank_source,
  in_use,
  no_room,
  name_taken,
  already_there,
  newer_there,
  damaged,
  loses_parts,
  no_match,
  many_match,
  other_program,
  much_smaller,
  both_changed,
  read_only,
  not_legal,
  // Other reasons to stop, and errors:
  bad_bays,
  bad_catalog,
  bad_list,
  bad_map,
  bad_name,
  bad_pattern,
  cancelled,
  exists,
  history_damaged,
  history_failed,
  link,
  link_lost,
  locked,
  missing,
  mould_differs,
  no_cartridge,
  no_home,
  hub_damaged,
  hub_differs,
  hub_failed,
  other_cartridge,
  pack_failed,
  picture_failed,
  place_failed,
  read_back,
  reader_failed,
  tidied_away,
  too_large,
  too_much,
  unexpected,
  unknown_bay,
  unknown_layout,
  unreadable,
  unsettled,
  unsteady,
  usage,
  wrong_code,
  wrong_size,
  wrong_volts,
  write_failed,
  // What is worth knowing:
  account,
  assumed,
  blank_battery,
  card_inside,
  clock_out_of_range,
  clock_unset,
  companion,
  companion_left,
  empty_file,
  half_written,
  header_check,
  kept_surroundings,
  likeness,
  linked,
  new_account,
  new_card,
  no_saved_game,
  not_seen,
  owner,
  padded,
  profile,
  program_unknown,
  purged,
  relabelled,
  renamed,
  rom_match,
  same_form,
  saves_not_listed,
  shelf_unsure,
  signature,
  spare_lost,
  stray_blocks,
  trailer,
  trailer_dropped,
  unformatted,
  unknown,
};

/// One line of the table.
struct CodeInfo {
  Code code;
  std::string_view name;     ///< for scripts: `region-differs`
  bool may_pass = false;     ///< a check that a user can let through
  std::string_view meaning;  ///< for people
};

[[nodiscard]] const std::vector<CodeInfo>& all_codes();
/// `region-differs` …
[[nodiscard]] std::string_view to_string(Code code);
/// By its name.
[[nodiscard]] std::optional<Code> parse_code(std::string_view name);

}  // namespace bayswap

#pragma GCC visibility pop
