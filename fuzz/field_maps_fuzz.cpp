// A map, and behind a byte 00 the save that it is for: everything ends, and a value that is set is
// shown.
#include <cstdlib>
#include <string>

#include "core/fields/field_view.h"
#include "core/fields/value_text.h"

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  using namespace bayswap;
  const std::string text(reinterpret_cast<const char*>(data), size);
  const std::size_t end = text.find('\0');
  const auto map = fields::read_map(text.substr(0, end), "fuzz.toml");
  if (!map) return 0;
  Bytes save;
  if (end != std::string::npos)
    for (const char c : text.substr(end + 1)) save.push_back(static_cast<std::byte>(c));
  auto view = fields::FieldView::open(*map, save);
  if (!view) return 0;
  const auto all = view->all();
  if (!all) return 0;
  for (std::size_t i = 0; i < std::min<std::size_t>(all->size(), 200); ++i)
    (void)fields::text_of(*view, (*all)[i]);
  (void)view->broken_rules();
  (void)view->make_sums_right();
  if (!all->empty()) (void)fields::put_text(*view, all->front(), "1");
  if (view->bytes().size() != save.size()) std::abort();
  return 0;
}
