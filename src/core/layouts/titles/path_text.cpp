#include "core/layouts/titles/path_text.h"

#include <algorithm>

namespace bayswap {

std::vector<std::string> names_in(std::string_view path) {
  std::vector<std::string> names;
  std::size_t start = 0;
  while (start <= path.size()) {
    const std::size_t end = std::min(path.find('/', start), path.size());
    if (end > start) names.emplace_back(path.substr(start, end - start));
    start = end + 1;
  }
  return names;
}

std::string last_name(std::string_view path) {
  const auto names = names_in(path);
  return names.empty() ? std::string() : names.back();
}

bool is_hex_name(std::string_view name, std::size_t length) {
  return name.size() == length && std::ranges::all_of(name, [](char c) {
           return (c >= '0' && c <= '9') || (c >= 'a' && c <= 'f') || (c >= 'A' && c <= 'F');
         });
}

std::string literal_text(std::string_view text) {
  std::string out;
  for (const char c : text) {
    out.push_back(c);
    if (c == '{' || c == '}') out.push_back(c);
  }
  return out;
}

std::string hex_field(std::string_view field, std::string_view name) {
  const bool capitals = std::ranges::any_of(name, [](char c) { return c >= 'A' && c <= 'F'; });
  return "{" + std::string(field) + (capitals ? ":upper}" : "}");
}

std::string joined(const std::vector<std::string>& names) {
  std::string path;
  for (const std::string& name : names) path += (path.empty() ? "" : "/") + name;
  return path;
}

}  // namespace bayswap
