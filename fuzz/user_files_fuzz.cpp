// bays.toml and catalog.toml with anything in them.
#include <string>

#include "bayswap/bay.h"
#include "bayswap/catalog.h"

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  const std::string text(reinterpret_cast<const char*>(data), size);
  (void)bayswap::BayList::parse(text, "bays.toml");
  (void)bayswap::Catalog::parse(text, "catalog.toml");
  return 0;
}
