// Teaches the library a layout of your own, and converts with it like with any other.
//
// The layout of this example puts a save chip into a "box": four letters, the size of the chip
// (16 bits, the low byte first), the chip, and the sum of its bytes (8 bits).
#include <bayswap/layout.h>

#include <algorithm>
#include <fstream>
#include <iostream>
#include <iterator>
#include <memory>

namespace {

using bayswap::Bytes;
using bayswap::ByteView;

constexpr std::string_view kLetters = "BOXD";
constexpr std::size_t kHeader = 6;

Bytes boxed(ByteView chip) {
  Bytes file;
  for (const char letter : kLetters) file.push_back(static_cast<std::byte>(letter));
  file.push_back(static_cast<std::byte>(chip.size() & 0xFFU));
  file.push_back(static_cast<std::byte>(chip.size() >> 8U));
  file.insert(file.end(), chip.begin(), chip.end());
  unsigned sum = 0;
  for (const std::byte byte : chip) sum += std::to_integer<unsigned>(byte);
  file.push_back(static_cast<std::byte>(sum & 0xFFU));
  return file;
}

class BoxLayout final : public bayswap::Layout {
 public:
  BoxLayout() {
    info_.id = "nes-box";
    info_.system = bayswap::System::nes;
    info_.summary = "a save chip in a box with a sum";
    info_.parts = {"sram"};
    info_.file_sizes = {8199};
  }

  const bayswap::LayoutInfo& info() const override { return info_; }

  std::optional<bayswap::Match> recognise(ByteView file, const bayswap::Hints&) const override {
    if (!begins_like_a_box(file) || boxed(chip_in(file)).back() != file.back()) return std::nullopt;
    return bayswap::Match{bayswap::Confidence::certain, "its letters and its sum",
                          bayswap::Basis::structure};
  }

  bayswap::Result<bayswap::Content> read(ByteView file, const bayswap::Hints&) const override {
    // Whoever asks may have guessed wrong: every size is checked before it is used.
    if (!begins_like_a_box(file))
      return bayswap::fail(bayswap::Trouble::input, bayswap::Code::damaged, "this is no box");
    const ByteView chip = chip_in(file);
    if (boxed(chip).back() != file.back())
      return bayswap::fail(bayswap::Trouble::input, bayswap::Code::damaged,
                           "the sum of the box is wrong");
    bayswap::Save save;
    save.system = info_.system;
    const bool blank = bayswap::is_blank_part(info_.system, "sram", chip);
    save.parts.push_back({"sram", {chip.begin(), chip.end()}, blank});
    bayswap::Content content;
    content.saves.push_back(std::move(save));
    return content;
  }

  bayswap::Result<bayswap::Written> write(const bayswap::WriteRequest& request) const override {
    const bayswap::Part* chip =
        request.saves.empty() ? nullptr : request.saves.front().part("sram");
    if (chip == nullptr || chip->data.size() > 0xFFFF)
      return bayswap::fail(bayswap::Trouble::stopped, bayswap::Code::no_match,
                           "a box holds one chip of up to 64 KiB");
    bayswap::Written written;
    written.bytes = boxed(chip->data);
    return written;
  }

 private:
  static bool begins_like_a_box(ByteView file) {
    if (file.size() < kHeader + 1) return false;
    const auto same = [](std::byte byte, char letter) {
      return byte == static_cast<std::byte>(letter);
    };
    if (!std::equal(kLetters.begin(), kLetters.end(), file.begin(),
                    [&](char letter, std::byte byte) { return same(byte, letter); }))
      return false;
    const std::size_t size =
        std::to_integer<std::size_t>(file[4]) | std::to_integer<std::size_t>(file[5]) << 8U;
    return file.size() == kHeader + size + 1;
  }
  static ByteView chip_in(ByteView file) {
    return file.subspan(kHeader, file.size() - kHeader - 1);
  }

  bayswap::LayoutInfo info_;
};

int fail(const bayswap::Error& error) {
  std::cerr << error.text << "\n";
  return 1;
}

}  // namespace

int main(int argc, char** argv) {
  if (argc != 4) {
    std::cerr << "usage: own_layout IN OUT LAYOUT-OF-OUT\n";
    return 2;
  }
  if (const auto added = bayswap::layouts().add(std::make_unique<BoxLayout>()); !added)
    return fail(added.error());

  std::ifstream in(argv[1], std::ios::binary);
  const std::vector<char> chars((std::istreambuf_iterator<char>(in)), {});
  const ByteView file = std::as_bytes(std::span(chars));
  bayswap::Hints hints;
  hints.system = bayswap::System::nes;
  const auto guesses = bayswap::identify(file, hints);
  if (guesses.empty()) {
    std::cerr << argv[1] << ": nothing that is known\n";
    return 1;
  }
  std::cout << guesses.front().layout->info().id << ": " << guesses.front().reason << "\n";
  const auto content = guesses.front().layout->read(file, hints);
  if (!content) return fail(content.error());

  const auto to = bayswap::find_layout(argv[3]);
  if (!to) return fail(to.error());
  const auto written = (*to)->write({content->saves, std::nullopt, hints});
  if (!written) return fail(written.error());
  if (!written->losses.empty()) {
    std::cerr << "this would be lost: " << written->losses.front().text << "\n";
    return 1;
  }
  std::ofstream out(argv[2], std::ios::binary);
  out.write(reinterpret_cast<const char*>(written->bytes.data()),
            static_cast<std::streamsize>(written->bytes.size()));
  return out ? 0 : 1;
}
