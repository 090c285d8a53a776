// Changes of an x360 package: files dropped and put, hash tables and header hash made right again.
#pragma once

#include "bayswap/card.h"
#include "bayswap/result.h"

namespace bayswap::x360 {

/// Errors: `damaged`, `name-taken`, `no-match` for a name that cannot stand there, `no-room` beyond
/// what the tables can count.
[[nodiscard]] Result<Bytes> change_package(ByteView package, const std::vector<std::string>& drop,
                                           const std::vector<Save>& put);

/// The same package without files, and without what its old blocks held.
[[nodiscard]] Result<Bytes> emptied_package(ByteView package);

}  // namespace bayswap::x360
