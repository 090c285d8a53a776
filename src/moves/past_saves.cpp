#include "moves/past_saves.h"

#include "reading/save_address.h"

namespace bayswap {

Result<std::vector<Timeline>> find_past_saves(Session& session, const History& history,
                                              const std::string& text) {
  if (text.empty()) return find_timelines(history, {});
  const SaveAddress address = parse_address(session, text);
  if (!address.bay.empty())
    return find_timelines(history, {resolved_path(text), address.bay, address.inside});
  return find_timelines(history, {resolved_path(text), "", text});
}

}  // namespace bayswap
