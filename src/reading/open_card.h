// A card found where the user says: a file of its own, or a part of a container.
#pragma once

#include <memory>
#include <optional>
#include <string>

#include "bayswap/card.h"
#include "bayswap/session.h"
#include "reading/save_address.h"

namespace bayswap {

struct OpenCard {
  std::string name;  ///< as the user named it
  Path path;
  std::shared_ptr<const Bytes> seen;  ///< the whole file, read once: it may change meanwhile
  FileView file{Bytes{}};             ///< a view of `seen`
  const CardLayout* layout = nullptr;
  Confidence confidence = Confidence::certain;
  bool folder = false;  ///< the card is kept as a folder, and `seen` is an image made from it
  // Of a card inside a container:
  const Layout* container = nullptr;
  std::string part;
  Save around;  ///< the container's save
  Hints hints;

  void hold(Bytes bytes);
  [[nodiscard]] ByteView bytes() const;
  /// The whole file with this card in it.
  [[nodiscard]] Result<Bytes> file_with(Bytes card) const;
  /// The card inside a file that file_with() made.
  [[nodiscard]] Result<Bytes> card_in(ByteView whole) const;
};

/// Errors: `missing`, `unreadable`, `no-match` when it is not a card, `unknown-layout`.
[[nodiscard]] Result<OpenCard> open_card(Session& session, const std::string& name,
                                         const std::string& is);

/// The card that an address leads to, and what it names there; no name: the card as a whole.
struct CardAndName {
  OpenCard card;
  std::string name;
};

/// For `CARD:NAME`, `FILE:PART:NAME` and `FILE:PART`. Errors: those of open_card().
[[nodiscard]] Result<CardAndName> open_card_of(Session& session, const SaveAddress& address,
                                               const std::string& is);

/// The card layout that the bytes have; null when they are no card. `damaged`: a size alone is
/// enough.
[[nodiscard]] const CardLayout* card_layout_of(ByteView bytes, const Hints& hints, bool damaged);

/// What to say of a file that is a card's by its size, and of which saves can be rescued, though
/// nothing on it says any more that it is one. Nothing when it is none.
[[nodiscard]] std::optional<Finding> damaged_card(ByteView bytes, const std::string& name);

/// Fills in what the catalog knows of a save's game.
void add_catalog_title(const Catalog& catalog, Save& save);

}  // namespace bayswap
