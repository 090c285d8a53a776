// Library bayswap_core, usable from any thread. What to do next, as words and remedies. A program
// that shows a hint words the remedies as its own users take them: a command to type, a button to
// press.
#pragma once

#include <functional>
#include <initializer_list>
#include <string>
#include <string_view>
#include <vector>

#include "bayswap/code.h"

#pragma GCC visibility push(default)

namespace bayswap {

/// Something that a user can do, or say, with Bay Swap.
enum class Remedy {
  // Do:
  look,
  compare,
  show_history,
  export_history,
  keep,
  undo,
  carry,
  wait_for_program,
  convert,
  pack_state,
  relabel,
  dig_state,
  show_card,
  take_from_card,
  put_on_card,
  put_on_inner_card,
  put_in_package,
  new_card,
  mend_card,
  learn_bay,
  learn_with_roms,
  show_bay,
  list_bays,
  list_layouts,
  write_cart,
  join_hub,
  show_fields,
  field_map,
  say_words,
  show_hub,
  check_hub,
  settle_conflict,
  bring_save,
  forget_save,
  // Say with what is asked:
  accept,
  layout_of_input,
  layout_of_output,
  output_file,
  older_save,
  rom,
  game,
  system,
  account,
  code,
  slot,
  free_slot,
  candidate,
  replace,
  to_bay,
  from_bay,
  all_saves,
  each_part,
  port,
  wait_for_switch,
};

/// A remedy in plain words: `mend the card into a new one`.
[[nodiscard]] std::string_view to_string(Remedy remedy);

/// Words, or a remedy. `with`: what the remedy is about, such as a bay's name; may be empty.
struct HintPiece {
  HintPiece(const char* text);  // NOLINT: pieces are written as they are
  HintPiece(std::string text);  // NOLINT
  HintPiece(Remedy what);       // NOLINT
  HintPiece(Remedy what, std::string about);

  bool operator==(const HintPiece&) const = default;

  std::string words;
  bool is_remedy = false;
  Remedy remedy = Remedy::look;
  std::string with;
};

/// What to do about a finding or an error. May be empty.
class Hint {
 public:
  Hint() = default;
  Hint(const char* words);  // NOLINT
  Hint(std::string words);  // NOLINT
  Hint(HintPiece piece);    // NOLINT
  Hint(std::initializer_list<HintPiece> pieces);

  [[nodiscard]] bool empty() const { return pieces_.empty(); }
  [[nodiscard]] const std::vector<HintPiece>& pieces() const { return pieces_; }
  Hint& operator+=(const Hint& more);
  bool operator==(const Hint&) const = default;

  /// The whole, with each remedy as `wording` says it.
  [[nodiscard]] std::string text(
      const std::function<std::string(Remedy, const std::string& with)>& wording) const;
  /// The whole, with each remedy in plain words.
  [[nodiscard]] std::string text() const;

 private:
  std::vector<HintPiece> pieces_;
};

/// The remedy of letting a check through.
[[nodiscard]] HintPiece accept_remedy(Code code);

}  // namespace bayswap

#pragma GCC visibility pop
