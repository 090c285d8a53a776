// Memory cards: a card is a set of saves plus free space. Everything that a console or a program
// does with a card is a change of that set.
//
// Library bayswap_core. Card layouts are immutable and may be used from several threads.
#pragma once

#include <cstdint>
#include <memory>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "bayswap/layout.h"

#pragma GCC visibility push(default)

namespace bayswap {

enum class BlockState {
  free,
  used,
  deleted,  ///< free, but still holds a deleted save that could be read
  bad,      ///< marked or found unreadable
  stray,    ///< marked used, though no save claims it
  system,   ///< the card's own
};

/// What one block holds.
struct BlockUse {
  BlockState state = BlockState::free;
  std::uint16_t save = 0;  ///< place in Card::saves, or in Card::deleted
};

/// One save and where it lies.
struct CardSave {
  Save save;
  std::vector<std::uint32_t> blocks;  ///< places in Card::map, in the order of the data
  std::uint32_t block_count = 0;      ///< blocks that it takes, as the console counts them
  Findings findings;                  ///< what is wrong with it
};

/// Everything on a card. Blocks are counted as a user can fill them: the card's own are left out.
struct Card {
  std::size_t block_size = 0;      ///< bytes
  std::uint32_t blocks_total = 0;  ///< that a user can fill
  std::uint32_t blocks_free = 0;   ///< deleted saves count as free
  std::vector<CardSave> saves;     ///< in the order of the card's directory
  std::vector<CardSave> deleted;   ///< still readable as a whole
  std::vector<BlockUse> map;       ///< one for each block that a user can fill
  Findings findings;               ///< about the card itself
  // Of a package, what it says about all of its files:
  Game game;
  std::string comment;  ///< its display name
  Bytes thumbnail;      ///< PNG, as it was stored
};

/// A change of the set of saves.
struct CardChange {
  std::vector<std::size_t> drop;  ///< places in Card::saves
  std::vector<Save> put;
};

/// The card after a change.
struct ChangedCard {
  Bytes bytes;
  Findings notes;  ///< such as deleted saves that can no longer be read
};

enum class RescueState {
  whole,
  repaired,  ///< everything is there again
  damaged,  ///< kept, though some of its bytes are wrong or may be another save's, or nothing tells
            ///< whose it is
  lost,
};

[[nodiscard]] std::string_view to_string(RescueState state);

/// What became of one save of a damaged card.
struct Rescue {
  Save save;  ///< without parts when it is lost
  RescueState state = RescueState::whole;
  std::vector<std::string> what;  ///< what was repaired, or why it is lost
};

/// What a damaged card still gives.
struct Salvage {
  std::vector<Rescue> saves;
  Findings findings;         ///< about the card itself
  std::uint32_t blocks = 0;  ///< capacity of the card that the saves came from
  /// The same card with its system areas as far as they are whole, at its full size: saves that are
  /// whole lie where they lay.
  Bytes image;
  bool unnamed = false;  ///< blocks are in use, and nothing tells of which save
};

/// A sound card made from a damaged one.
struct Mended {
  Bytes bytes;
  std::vector<Rescue> saves;
  Findings findings;
  bool unchanged = false;  ///< the card was sound and is copied as it is
  bool unnamed = false;    ///< it held something that nothing names any more
};

/// The facts of a family of cards that commands need.
struct CardInfo {
  std::string family;         ///< layouts of one family hold the same card in other forms
  std::string single_layout;  ///< the usual file for one save
  std::vector<std::uint32_t> capacities;  ///< blocks that a user can fill
  std::uint32_t default_blocks = 0;
  std::size_t block_size = 0;    ///< bytes
  std::size_t name_length = 20;  ///< letters that a save's name can have
  /// The part of a cartridge's save that holds such a card whole, as layouts of one part call it;
  /// empty when there is none. Such a layout reads and writes that part.
  std::string part = {};
  /// One title's files under one name: it is carried as a whole, and its saves are plain files.
  bool package = false;
};

/// What the blocks of a console's cards are called: blocks, or pages, or plain bytes.
[[nodiscard]] std::string_view block_word(System system);

/// A card that is listed, checked and changed in one go: what its layout reads for all three is
/// read once. The file must outlive it. list() and validate() may run side by side.
class CardReading {
 public:
  virtual ~CardReading() = default;
  /// CardLayout::list(), validate() and change() of the file.
  [[nodiscard]] virtual Result<Card> list(const std::vector<std::string>& with_data) = 0;
  [[nodiscard]] virtual Findings validate() = 0;
  /// To be called last: it may use up what was read.
  [[nodiscard]] virtual Result<ChangedCard> change(const CardChange& change) = 0;
};

/// A layout whose file is a whole card. Reading is tolerant: what is damaged is a finding, and the
/// saves that can be read are there. validate() is strict and shares no code with the writer.
class CardLayout : public Layout {
 public:
  [[nodiscard]] virtual const CardInfo& card_info() const = 0;
  /// Errors: `damaged` when nothing of the card's structure can be read.
  [[nodiscard]] virtual Result<Card> open(ByteView file) const = 0;
  /// The same, where that is cheaper without the data of all saves but those of these names.
  [[nodiscard]] virtual Result<Card> list(ByteView file,
                                          const std::vector<std::string>& /*with_data*/) const {
    return open(file);
  }
  /// Everything that a console relies on. Errors mean that the card must not be changed; warnings
  /// are lost spare copies and bits that the card's own code mends.
  [[nodiscard]] virtual Findings validate(ByteView file) const = 0;
  /// A formatted card without saves. Errors: `wrong-size`, with the capacities in the hint.
  [[nodiscard]] virtual Result<Bytes> format(std::uint32_t blocks) const = 0;
  /// A formatted card that keeps what identifies a damaged one, as far as that is whole.
  [[nodiscard]] virtual Result<Bytes> format_like(ByteView /*damaged*/,
                                                  std::uint32_t blocks) const {
    return format(blocks);
  }
  /// The card with saves dropped and put. Saves that are not named keep their blocks and bytes. The
  /// file may be in another form of the family; the result is in this one. Errors: `no-room`,
  /// `name-taken`, `no-match` (a save of another family), `damaged`.
  [[nodiscard]] virtual Result<ChangedCard> change(ByteView file,
                                                   const CardChange& change) const = 0;
  /// For a caller that wants more than one of the above.
  [[nodiscard]] virtual std::unique_ptr<CardReading> reading(ByteView file) const;
  /// Everything that can be read of a damaged card.
  [[nodiscard]] virtual Result<Salvage> salvage(ByteView file) const = 0;
  /// Whether the file is in this form of the family, and not in another one.
  [[nodiscard]] virtual bool is_own_form(ByteView /*file*/) const { return true; }
  /// What any change of the file breaks that cannot be made again, such as a signature: a note, or
  /// an error where that makes the file useless on its console.
  [[nodiscard]] virtual std::optional<Finding> broken_seal(ByteView /*file*/) const {
    return std::nullopt;
  }
  /// What the console knows a save by: two saves of one card cannot share it.
  [[nodiscard]] virtual std::string identity(const Save& save) const { return save.name; }
  /// The save's name with a number, as short as the card needs it.
  [[nodiscard]] virtual std::string numbered(const Save& save, int number) const;

  [[nodiscard]] Result<Content> read(ByteView file, const Hints& hints) const override;
  /// With a card as the mould, saves that are on it stay as they are.
  [[nodiscard]] Result<Written> write(const WriteRequest& request) const override;
};

/// Null when the layout is not a card.
[[nodiscard]] const CardLayout* as_card(const Layout* layout);

/// Whether the layout is a package; see CardInfo::package.
[[nodiscard]] bool is_package(const Layout* layout);

/// Whether Layout::read() gives the chips of a cartridge: all batteries, and cards that are also a
/// part of a cartridge's save.
[[nodiscard]] bool holds_chips(const Layout& layout);

/// Reads a card, and adds what the strict look finds where reading itself found no error.
[[nodiscard]] Result<Card> examine(const CardLayout& layout, ByteView file);

/// A sound card with everything that the damaged one still holds. It has the damaged card's
/// capacity, and its saves lie where they lay as long as the card can be repaired in place.
[[nodiscard]] Result<Mended> mend(const CardLayout& layout, ByteView file);

/// The places of the saves that a person means: the save's own name, its game's code or serial, its
/// title as it is shown, or `#` and its place in the list, counted from 1. `card`: what is wrong
/// with the card that they lie on. Errors: `no-match`, `many-match`, and `damaged` when there is no
/// match and the card may have lost it.
[[nodiscard]] Result<std::size_t> find_on_card(const std::vector<CardSave>& saves,
                                               std::string_view name, const Findings& card = {});

/// Labels a save for another region: the code of its game in the names that the card knows it by.
/// A Sony serial (`SLES-12345`) brings its name's prefix with it; other families take a
/// four-character code. Errors: `wrong-code`.
[[nodiscard]] Result<Save> relabelled(const Save& save, std::string_view code);

/// Whether two saves of cards hold the same files with the same bytes.
[[nodiscard]] bool same_card_save(const Save& a, const Save& b);

}  // namespace bayswap

#pragma GCC visibility pop
