// Errors as values: nothing throws across the public interface.
//
// Library bayswap_core. Functions of values: any thread may call them, each object belongs to one
// thread at a time.
#pragma once

#include <string>
#include <string_view>
#include <tl/expected.hpp>

#include "bayswap/code.h"
#include "bayswap/hint.h"

#pragma GCC visibility push(default)

namespace bayswap {

/// Why a call did not do what was asked.
enum class Trouble {
  stopped,    ///< a check said no; nothing was changed
  usage,      ///< the request itself makes no sense
  input,      ///< an input is missing, unreadable or damaged
  place,      ///< the place failed (full, read-only, device gone); nothing is lost
  read_back,  ///< what was written read back differently; the old content is back
};

/// One failure, worded for a person: what is the matter, with which file, and what to do next.
struct Error {
  Trouble trouble = Trouble::input;
  Code code = Code::unexpected;
  std::string text;  ///< what is the matter, naming the file
  Hint hint;         ///< the next step; may be empty
};

template <class T>
using Result = tl::expected<T, Error>;

/// Shorthand for returning an error from a function that gives a Result.
[[nodiscard]] tl::unexpected<Error> fail(Trouble trouble, Code code, std::string_view text,
                                         Hint hint = {});

}  // namespace bayswap

#pragma GCC visibility pop
