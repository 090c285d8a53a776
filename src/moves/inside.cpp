#include "moves/inside.h"

#include <system_error>

namespace bayswap {

bool inside(const Path& place, const Path& path) {
  std::error_code problem;
  const Path root = std::filesystem::weakly_canonical(place, problem);
  if (problem) return false;
  const Path folder = std::filesystem::weakly_canonical(path.parent_path(), problem);
  if (problem) return false;
  const Path relative = folder.lexically_relative(root);
  return !relative.empty() && *relative.begin() != "..";
}

}  // namespace bayswap
