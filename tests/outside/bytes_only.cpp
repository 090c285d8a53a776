// Links the core alone, as an archive: bytes in, layouts out.
#include <bayswap/layout.h>

int main() {
  const bayswap::Bytes card(131072);
  return bayswap::identify(card, {}).empty() ? 1 : 0;
}
