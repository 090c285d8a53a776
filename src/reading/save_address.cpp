#include "reading/save_address.h"

#include <system_error>

namespace bayswap {

std::optional<std::pair<std::string, std::string>> SaveAddress::part_and_name() const {
  const std::size_t colon = inside.find(':');
  if (colon == std::string::npos) return std::nullopt;
  return std::pair(inside.substr(0, colon), inside.substr(colon + 1));
}

SaveAddress parse_address(Session& session, const std::string& text) {
  SaveAddress address;
  address.text = text;
  if (!is_missing(*session.storage, text)) {
    address.path = text;
    address.there = true;
    return address;
  }
  if (const std::size_t colon = text.find(':');
      colon != std::string::npos && session.bays.find(text.substr(0, colon))) {
    address.bay = text.substr(0, colon);
    address.inside = text.substr(colon + 1);
    return address;
  }
  for (std::size_t colon = text.rfind(':'); colon != std::string::npos && colon > 0;
       colon = text.rfind(':', colon - 1)) {
    const std::string file = text.substr(0, colon);
    if (is_missing(*session.storage, file)) continue;
    address.path = file;
    address.inside = text.substr(colon + 1);
    address.there = true;
    return address;
  }
  address.path = text;
  return address;
}

std::string address_of(const Path& file, const std::string& inside) {
  return inside.empty() ? file.string() : file.string() + ":" + inside;
}

Path resolved_path(const Path& path) {
  std::error_code ignored;
  return std::filesystem::weakly_canonical(path, ignored);
}

}  // namespace bayswap
