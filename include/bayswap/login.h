// Who logs in to a hub's share.
//
// Library bayswap_core. A plain value.
#pragma once

#include <string>

#pragma GCC visibility push(default)

namespace bayswap {

struct ShareLogin {
  std::string user;
  std::string password;
};

}  // namespace bayswap

#pragma GCC visibility pop
