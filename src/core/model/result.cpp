#include "bayswap/result.h"

namespace bayswap {

tl::unexpected<Error> fail(Trouble trouble, Code code, std::string_view text, Hint hint) {
  return tl::unexpected<Error>(Error{trouble, code, std::string(text), std::move(hint)});
}

}  // namespace bayswap
