#include "storage/png.h"

#include <png.h>

namespace bayswap {

Result<Bytes> png_of(const Picture& picture) {
  static_assert(sizeof(Colour) == 4);
  png_image image{};
  image.version = PNG_IMAGE_VERSION;
  image.width = picture.width;
  image.height = picture.height;
  image.format = PNG_FORMAT_RGBA;
  png_alloc_size_t size = PNG_IMAGE_PNG_SIZE_MAX(image);
  Bytes bytes(size);
  if (png_image_write_to_memory(&image, bytes.data(), &size, 0, picture.pixels.data(), 0,
                                nullptr) == 0)
    return fail(Trouble::place, "picture-failed",
                std::string("a picture could not be made: ") + image.message);
  bytes.resize(size);
  return bytes;
}

}  // namespace bayswap
