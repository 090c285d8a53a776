// The titles that a bay keeps as folders, and how a text names one of them.
#pragma once

#include <string>
#include <vector>

#include "places/find_folders.h"
#include "reading/bay_scan.h"

namespace bayswap {

/// A title's save at the destination.
struct TitleThere {
  FoundFolder found;
  Save save;
  std::vector<std::string> names;  ///< in plain words
  bool copies = false;             ///< it is one of several copies, and none of them is meant
};

/// Whether a bay keeps saves as folders.
[[nodiscard]] bool keeps_titles(const Bay& bay);

[[nodiscard]] std::vector<TitleThere> titles_there(Session& session, BayScan& to);

using TitlesThere = std::vector<const TitleThere*>;

/// The titles that an id names, in any of its spellings.
[[nodiscard]] TitlesThere with_id(const std::vector<TitleThere>& titles, const std::string& text);
/// The titles of a name, or with it in their names.
[[nodiscard]] TitlesThere with_name(const std::vector<TitleThere>& titles, const std::string& text,
                                    bool in_part);
/// One title with several accounts is one answer: the account is chosen later.
[[nodiscard]] bool one_title(const TitlesThere& places);
/// What a message calls it.
[[nodiscard]] std::string account_and_title(const TitleThere& title);

}  // namespace bayswap
