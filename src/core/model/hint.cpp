#include "bayswap/hint.h"

namespace bayswap {

std::string_view to_string(Remedy remedy) {
  switch (remedy) {
    case Remedy::look: return "look at the file";
    case Remedy::compare: return "compare both files";
    case Remedy::show_history: return "show the history";
    case Remedy::export_history: return "export the history";
    case Remedy::keep: return "keep what is there now";
    case Remedy::undo: return "undo";
    case Remedy::carry: return "carry";
    case Remedy::wait_for_program: return "wait for the program";
    case Remedy::convert: return "convert it";
    case Remedy::pack_state: return "pack the state in another way";
    case Remedy::relabel: return "label the save for another region";
    case Remedy::dig_state: return "look for the save inside the state";
    case Remedy::show_card: return "show the card";
    case Remedy::take_from_card: return "take saves from the card";
    case Remedy::put_on_card: return "put the save on a card";
    case Remedy::put_on_inner_card: return "put the save on a card inside a file";
    case Remedy::put_in_package: return "put the file into the package";
    case Remedy::new_card: return "make a new card";
    case Remedy::mend_card: return "mend the card into a new one";
    case Remedy::learn_bay: return "learn the bay";
    case Remedy::learn_with_roms: return "learn the bay with the folder of its ROMs";
    case Remedy::show_bay: return "show the bay";
    case Remedy::list_bays: return "list the bays";
    case Remedy::list_layouts: return "list the layouts";
    case Remedy::write_cart: return "write the cartridge again";
    case Remedy::join_hub: return "join a hub";
    case Remedy::field_map: return "the field map";
    case Remedy::show_fields: return "show the fields of the save";
    case Remedy::say_words: return "say the hub's words";
    case Remedy::show_hub: return "show the hub";
    case Remedy::check_hub: return "check the hub";
    case Remedy::settle_conflict: return "choose one of the versions";
    case Remedy::bring_save: return "bring the save here";
    case Remedy::forget_save: return "let the save go here";
    case Remedy::accept: return "letting the check through";
    case Remedy::layout_of_input: return "the layout of the input";
    case Remedy::layout_of_output: return "the layout of the output";
    case Remedy::output_file: return "another file as the output";
    case Remedy::older_save: return "an older save to imitate";
    case Remedy::rom: return "the ROM's file";
    case Remedy::game: return "the game";
    case Remedy::system: return "the console family";
    case Remedy::account: return "the account";
    case Remedy::code: return "the code";
    case Remedy::slot: return "the slot";
    case Remedy::free_slot: return "a free slot";
    case Remedy::candidate: return "one of the places that were found";
    case Remedy::replace: return "replacing what is there";
    case Remedy::to_bay: return "the bay to carry to";
    case Remedy::from_bay: return "the bay to take from";
    case Remedy::all_saves: return "all saves";
    case Remedy::each_part: return "a file for each part";
    case Remedy::port: return "the reader's port";
    case Remedy::wait_for_switch: return "wait for the switch";
  }
  return {};
}

HintPiece::HintPiece(const char* text) : words(text) {}

HintPiece::HintPiece(std::string text) : words(std::move(text)) {}

HintPiece::HintPiece(Remedy what) : is_remedy(true), remedy(what) {}

HintPiece::HintPiece(Remedy what, std::string about)
    : is_remedy(true), remedy(what), with(std::move(about)) {}

Hint::Hint(const char* words) : Hint(std::string(words)) {}

Hint::Hint(std::string words) {
  if (!words.empty()) pieces_.emplace_back(std::move(words));
}

Hint::Hint(std::initializer_list<HintPiece> pieces) : pieces_(pieces) {}

Hint::Hint(HintPiece piece) {
  pieces_.push_back(std::move(piece));
}

Hint& Hint::operator+=(const Hint& more) {
  pieces_.insert(pieces_.end(), more.pieces_.begin(), more.pieces_.end());
  return *this;
}

std::string Hint::text(
    const std::function<std::string(Remedy, const std::string& with)>& wording) const {
  std::string text;
  for (const HintPiece& piece : pieces_)
    text += piece.is_remedy ? wording(piece.remedy, piece.with) : piece.words;
  return text;
}

std::string Hint::text() const {
  return text([](Remedy remedy, const std::string& with) {
    return std::string(to_string(remedy)) + (with.empty() ? "" : " (" + with + ")");
  });
}

HintPiece accept_remedy(Code code) {
  return {Remedy::accept, std::string(to_string(code))};
}

}  // namespace bayswap
