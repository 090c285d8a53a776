// A pattern and a path, divided by a newline: what matches must build the same path again.
#include <cstdlib>
#include <string>

#include "bayswap/naming.h"

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  using namespace bayswap;
  const std::string text(reinterpret_cast<const char*>(data), size);
  const std::size_t line = text.find('\n');
  const auto pattern = NamingPattern::parse(text.substr(0, line).substr(0, 120));
  if (!pattern) return 0;
  const std::string path = line == std::string::npos ? "" : text.substr(line + 1);
  const auto fields = pattern->match(path);
  if (!fields) return 0;
  const auto built = pattern->build(*fields);
  if (!built || *built != path) std::abort();
  return 0;
}
