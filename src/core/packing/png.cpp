#include "core/packing/png.h"

#include <png.h>

#include <algorithm>
#include <array>
#include <span>

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
    return fail(Trouble::place, Code::picture_failed,
                std::string("a picture could not be made: ") + image.message);
  bytes.resize(size);
  return bytes;
}

bool is_png(ByteView bytes) {
  constexpr std::array<std::uint8_t, 8> kMark{0x89, 'P', 'N', 'G', 0x0D, 0x0A, 0x1A, 0x0A};
  return bytes.size() > kMark.size() &&
         std::ranges::equal(bytes.first(kMark.size()), std::as_bytes(std::span(kMark)));
}

Result<Picture> picture_of_png(ByteView bytes, std::uint32_t most_side) {
  const auto failed = [](const char* why) {
    return fail(Trouble::input, Code::picture_failed,
                std::string("a picture cannot be read: ") + why);
  };
  png_image image{};
  image.version = PNG_IMAGE_VERSION;
  if (png_image_begin_read_from_memory(&image, bytes.data(), bytes.size()) == 0)
    return failed(image.message);
  if (image.width > most_side || image.height > most_side) {
    png_image_free(&image);
    return failed("it is too large");
  }
  image.format = PNG_FORMAT_RGBA;
  Picture picture;
  picture.width = image.width;
  picture.height = image.height;
  picture.pixels.resize(std::size_t{image.width} * image.height);
  if (png_image_finish_read(&image, nullptr, picture.pixels.data(), 0, nullptr) == 0)
    return failed(image.message);
  return picture;
}

}  // namespace bayswap
