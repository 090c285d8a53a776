// A project of somebody else: it finds the installed package and adds a layout of its own.
#include <bayswap/layout.h>

#include <iostream>
#include <memory>

namespace {

class MyLayout final : public bayswap::Layout {
 public:
  MyLayout() {
    info_.id = "nes-my-box";
    info_.system = bayswap::System::nes;
    info_.summary = "one byte in front of the chip";
    info_.parts = {"sram"};
  }
  const bayswap::LayoutInfo& info() const override { return info_; }
  std::optional<bayswap::Match> recognise(bayswap::ByteView file,
                                          const bayswap::Hints&) const override {
    if (file.size() != 8193) return std::nullopt;
    return bayswap::Match{bayswap::Confidence::certain, "its size", true};
  }
  bayswap::Result<bayswap::Content> read(bayswap::ByteView file,
                                         const bayswap::Hints&) const override {
    bayswap::Content content;
    content.saves.emplace_back().parts.push_back({"sram", {file.begin() + 1, file.end()}, false});
    return content;
  }
  bayswap::Result<bayswap::Written> write(const bayswap::WriteRequest&) const override {
    return bayswap::fail(bayswap::Trouble::stopped, Code::no_match, "not written here");
  }

 private:
  bayswap::LayoutInfo info_;
};

}  // namespace

int main() {
  if (!bayswap::layouts().add(std::make_unique<MyLayout>())) return 1;
  if (bayswap::layouts().add(std::make_unique<MyLayout>())) return 1;
  const bayswap::Bytes file(8193);
  const auto guesses = bayswap::identify(file, {});
  if (guesses.empty() || guesses.front().layout->info().id != "nes-my-box") return 1;
  std::cout << guesses.front().layout->info().summary << "\n";
  return 0;
}
