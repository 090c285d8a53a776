#include "hub/folder_store.h"

#include <fmt/core.h>

#include "core/bytes/text.h"
#include "files/atomic_write.h"

namespace bayswap {
namespace {

class FolderStore final : public HubStore {
 public:
  FolderStore(Storage& storage, Path folder) : storage_(storage), folder_(std::move(folder)) {}

  Result<std::optional<Bytes>> get(const std::string& name, std::uint64_t limit) override {
    auto bytes = storage_.read(folder_ / name, limit);
    if (bytes) return std::optional(std::move(*bytes));
    if (bytes.error().code == Code::missing) return std::optional<Bytes>{};
    if (bytes.error().code == Code::too_large) return tl::unexpected(bytes.error());
    return failed(bytes.error());
  }

  Result<void> put(const std::string& name, ByteView bytes) override {
    const auto put = put_new(name, bytes);
    if (!put) return tl::unexpected(put.error());
    return {};
  }

  Result<bool> put_new(const std::string& name, ByteView bytes) override {
    const Path path = folder_ / name;
    const Path unfinished = path.parent_path() / (".unfinished-" + path.filename().string());
    if (auto written = fill(unfinished, bytes); !written) return tl::unexpected(written.error());
    const auto named = storage_.rename_new(unfinished, path);
    if (named) return true;
    (void)storage_.remove(unfinished);
    if (named.error().code == Code::exists) return false;
    return failed(named.error());
  }

  Result<std::vector<std::string>> list(const std::string& folder) override {
    auto names = storage_.list(folder_ / folder);
    if (names) return names;
    if (names.error().code == Code::missing) return std::vector<std::string>{};
    return failed(names.error());
  }

  Result<void> make_folder(const std::string& name) override {
    const auto made = make_folders(storage_, folder_ / name);
    if (!made) return failed(made.error());
    return {};
  }

  Result<void> remove(const std::string& name) override {
    const auto removed = storage_.remove(folder_ / name);
    if (removed || is_missing(storage_, folder_ / name)) return {};
    return failed(removed.error());
  }

  Result<void> flush() override {
    if (auto flushed = storage_.flush_medium(folder_); !flushed) return failed(flushed.error());
    return {};
  }

  bool is_near() const override { return true; }
  std::string where() const override { return folder_.string(); }

 private:
  Result<void> fill(const Path& path, ByteView bytes) const {
    auto file = storage_.open_work_file(path);
    if (!file) return failed(file.error());
    const auto left = (*file)->size();
    if (!left) return failed(left.error());
    if (*left > 0) {  // of a run that was cut off
      (void)storage_.remove(path);
      file = storage_.open_work_file(path);
      if (!file) return failed(file.error());
    }
    if (auto put = (*file)->put(0, bytes); !put) return failed(put.error());
    return {};
  }

  tl::unexpected<Error> failed(const Error& why) const {
    return fail(Trouble::place, Code::hub_failed,
                fmt::format("the hub {}: {}", safe_text(folder_.string()), why.text),
                "is the share mounted, and has it room?");
  }

  Storage& storage_;
  Path folder_;
};

}  // namespace

std::unique_ptr<HubStore> open_folder_store(Storage& storage, const Path& folder) {
  return std::make_unique<FolderStore>(storage, folder);
}

}  // namespace bayswap
