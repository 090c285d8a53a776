#include "bayswap/result.h"

namespace bayswap {

tl::unexpected<Error> fail(Trouble trouble, std::string_view code, std::string_view text,
                           std::string_view hint) {
  return tl::unexpected<Error>(
      Error{trouble, std::string(code), std::string(text), std::string(hint)});
}

}  // namespace bayswap
