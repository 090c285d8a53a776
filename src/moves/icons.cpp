// The pictures of a card's saves as files.
#include <fmt/core.h>

#include <set>

#include "bayswap/card_file.h"
#include "bayswap/face.h"
#include "core/bytes/text.h"
#include "core/naming/file_name.h"
#include "core/packing/png.h"
#include "moves/outputs.h"

namespace bayswap {

Result<std::vector<Path>> write_icons(Session& session, const ShownCard& card, const Path& folder,
                                      bool replace) {
  std::vector<Path> written;
  std::vector<OutFile> files;
  std::set<std::string> taken;
  if (const Bytes& thumbnail = card.card.thumbnail; is_png(thumbnail)) {
    const std::string name = safe_file_name(
        card.card.comment.empty() ? Path(card.name).filename().string() : card.card.comment);
    const Path path = folder / (name + "-1.png");
    taken.insert(lower_ascii(name));
    files.push_back({path, thumbnail});
    written.push_back(path);
  }
  for (std::size_t i = 0; i < card.card.saves.size(); ++i) {
    const Save& save = card.card.saves[i].save;
    std::string name = safe_file_name(save.name);
    if (!taken.insert(lower_ascii(name)).second) name += fmt::format(" #{}", i + 1);
    std::size_t number = 0;
    for (const Picture& picture : face_of(save).pictures) {
      const auto bytes = png_of(picture);
      if (!bytes) return tl::unexpected(bytes.error());
      const Path path = folder / fmt::format("{}-{}.png", name, ++number);
      files.push_back({path, *bytes});
      written.push_back(path);
    }
  }
  if (files.empty()) return written;
  if (auto done =
          write_outputs(session, {"card show", card.name, {}, replace, true}, std::move(files));
      !done)
    return tl::unexpected(done.error());
  return written;
}

}  // namespace bayswap
