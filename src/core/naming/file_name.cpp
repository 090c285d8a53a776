#include "core/naming/file_name.h"

#include "core/bytes/text.h"

namespace bayswap {

std::string safe_file_name(std::string_view name) {
  std::string safe;
  for (const char c : safe_text(name)) {
    const bool bad = static_cast<unsigned char>(c) < 0x20 || c == 0x7F ||
                     std::string_view("/\\:*?\"<>|").find(c) != std::string_view::npos;
    safe.push_back(bad ? '_' : c);
  }
  while (!safe.empty() && (safe.back() == '.' || safe.back() == ' ')) safe.back() = '_';
  if (safe.starts_with('.')) safe.front() = '_';
  constexpr std::size_t kLongest = 200;
  if (safe.size() > kLongest) safe.resize(kLongest);
  return safe.empty() ? "save" : safe;
}

}  // namespace bayswap
