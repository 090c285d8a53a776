// Everything that a cartridge reader may send: raw bytes, and answers whose frames are right and
// whose content is not.
#include <algorithm>
#include <cstdint>

#include "readers/cartridge.h"
#include "readers/frames.h"
#include "readers/messages.h"

namespace {

using bayswap::Bytes;
using bayswap::ByteView;
using bayswap::Milliseconds;

// Answers each question with the next piece of the input, in time that does not pass.
class HostileReader final : public bayswap::Transport {
 public:
  explicit HostileReader(ByteView input) : input_(input) {}

  bayswap::Result<void> send(ByteView bytes) override {
    questions_.push(bytes);
    while (const auto payload = questions_.next()) {
      const auto question = bayswap::decoded(*payload);
      const auto number = question ? bayswap::number_in(*question, "ask") : std::nullopt;
      answer(number.value_or(1));
    }
    return {};
  }
  bayswap::Result<std::size_t> receive(std::span<std::byte> room, Milliseconds most) override {
    const std::size_t count = std::min(room.size(), waiting_.size());
    std::copy_n(waiting_.begin(), count, room.begin());
    waiting_.erase(waiting_.begin(), waiting_.begin() + static_cast<std::ptrdiff_t>(count));
    if (count == 0) now_ += std::max(most, Milliseconds(1));
    return count;
  }
  [[nodiscard]] Milliseconds now() const override { return now_; }
  void pause(Milliseconds time) override { now_ += time; }
  [[nodiscard]] std::string name() const override { return "hostile"; }

 private:
  void answer(std::int64_t number) {
    if (input_.empty()) return;
    const auto mode = static_cast<unsigned>(input_.front());
    const std::size_t size = std::min<std::size_t>(mode >> 1U, input_.size() - 1);
    const ByteView piece = input_.subspan(1, size);
    input_ = input_.subspan(1 + size);
    Bytes bytes(piece.begin(), piece.end());
    if ((mode & 1U) == 0) {
      // A whole message that answers this question.
      if (auto message = bayswap::decoded(piece)) {
        std::erase_if(*message, [](const auto& field) { return field.first == "for"; });
        message->emplace_back("for", bayswap::CborValue{number});
        bytes = bayswap::encoded(*message);
      }
      bytes = bayswap::framed(bytes);
    }
    waiting_.insert(waiting_.end(), bytes.begin(), bytes.end());
  }

  ByteView input_;
  bayswap::FrameReader questions_;
  Bytes waiting_;
  Milliseconds now_{0};
};

}  // namespace

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  const ByteView input = std::as_bytes(std::span(data, size));
  bayswap::FrameReader frames;
  frames.push(input);
  while (const auto payload = frames.next())
    if (const auto message = bayswap::decoded(*payload)) (void)bayswap::encoded(*message);
  if (const auto message = bayswap::decoded(input)) (void)bayswap::encoded(*message);
  auto cartridge =
      bayswap::Cartridge::open(bayswap::Link(std::make_unique<HostileReader>(input), 1));
  if (!cartridge) return 0;
  for (const bayswap::CartridgeArea& area : cartridge->areas()) {
    // What a reader claims to have is not reserved for it.
    if (area.size.value_or(0) > 65'536) continue;
    const auto dump = cartridge->dump(area);
    if (dump && !area.chip.empty()) {
      const Bytes wanted(dump->bytes.size(), std::byte{0x5A});
      (void)cartridge->write(area, dump->bytes, wanted);
    }
  }
  return 0;
}
