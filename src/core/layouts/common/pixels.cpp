#include "core/layouts/common/pixels.h"

namespace bayswap {

Picture blank_picture(std::uint32_t width, std::uint32_t height) {
  return {width, height, std::vector<Colour>(std::size_t{width} * height)};
}

Face face_of(const Save& save) {
  if (save.parts.empty()) return {};
  switch (save.system) {
    case System::ps1: return ps1_face(save);
    case System::ps2: return ps2_face(save);
    case System::gc: return gc_face(save);
    case System::dc: return dc_face(save);
    default: return {};
  }
}

}  // namespace bayswap
