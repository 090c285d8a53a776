// Two files of one save: where do they differ?
#include <algorithm>

#include "bayswap/look.h"
#include "core/bytes/text.h"
#include "places/inspect.h"

namespace bayswap {
namespace {

constexpr std::size_t kRanges = 16;  // enough to see a pattern

PartDifference compare_bytes(std::string name, ByteView a, ByteView b) {
  PartDifference result;
  result.part = std::move(name);
  result.size = std::max(a.size(), b.size());
  const std::size_t common = std::min(a.size(), b.size());
  std::vector<std::uint64_t> cells(kStripCells);
  for (std::size_t i = 0; i < result.size; ++i) {
    if (i < common && a[i] == b[i]) continue;
    ++result.differing;
    ++cells[i * kStripCells / result.size];
    if (!result.ranges.empty() && result.ranges.back().second + 1 == i) {
      result.ranges.back().second = i;
    } else if (result.ranges.size() < kRanges) {
      result.ranges.emplace_back(i, i);
    } else {
      result.more_ranges = true;
    }
  }
  const std::uint64_t cell = std::max<std::uint64_t>(1, result.size / kStripCells);
  for (const std::uint64_t count : cells)
    result.strip.push_back(count == 0 ? 0U
                                      : std::max(1U, static_cast<unsigned>(std::min<std::uint64_t>(
                                                         100, count * 100 / cell))));
  return result;
}

std::optional<Save> save_in(const Inspection& found) {
  if (found.layout() == nullptr) return std::nullopt;
  auto content = found.layout()->read(found.view.bytes(), found.hints);
  if (!content || content->saves.empty()) return std::nullopt;
  return std::move(content->saves.front());
}

}  // namespace

Result<std::vector<PartDifference>> compare(Session& session, const Path& a, const Path& b,
                                            const LookOptions& options) {
  RomFolders folders(session);
  InspectOptions how;
  how.is = or_empty(options.is);
  how.rom = options.rom;
  const auto first = inspect(session, folders, a, how);
  if (!first) return tl::unexpected(first.error());
  // Dumps of one cartridge are told apart by their content, so both are read with one layout.
  if (how.is.empty() && first->layout() != nullptr &&
      first->guesses.front().confidence != Confidence::possible)
    how.is = first->layout()->info().id;
  const auto second = inspect(session, folders, b, how);
  if (!second) return tl::unexpected(second.error());
  std::vector<PartDifference> differences;
  const auto one = save_in(*first);
  const auto other = save_in(*second);
  if (!one || !other || one->system != other->system) {
    differences.push_back(compare_bytes("file", first->view.bytes(), second->view.bytes()));
    return differences;
  }
  for (const Part& part : one->parts)
    if (const Part* same = other->part(part.name))
      differences.push_back(compare_bytes(part.name, part.data, same->data));
  if (differences.empty())
    differences.push_back(compare_bytes("file", first->view.bytes(), second->view.bytes()));
  return differences;
}

}  // namespace bayswap
