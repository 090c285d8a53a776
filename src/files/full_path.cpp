#include "files/full_path.h"

#include <system_error>

namespace bayswap {

Path full_path(const Path& path) {
  std::error_code failed;
  Path behind = std::filesystem::canonical(path, failed);
  if (!failed) return behind;
  const Path full = std::filesystem::absolute(path, failed);
  return failed ? path : full.lexically_normal();
}

}  // namespace bayswap
