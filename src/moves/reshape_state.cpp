#include "moves/reshape_state.h"

#include <fmt/core.h>

#include <algorithm>

#include "bayswap/state.h"
#include "core/bytes/fill.h"
#include "core/bytes/hash.h"
#include "core/bytes/text.h"
#include "core/packing/packing.h"
#include "files/atomic_write.h"
#include "moves/outputs.h"
#include "places/inspect.h"

namespace bayswap {
namespace {

bool names_a_form(const std::vector<std::string>& ids) {
  return std::ranges::any_of(
      ids, [](const std::string& id) { return parse_state_form(id).has_value(); });
}

// A packed state to imitate, and nothing said of layouts.
bool imitates_a_state(Storage& storage, const ReshapeRequest& request) {
  if (!request.like || !request.as.empty() || request.inputs.size() != 1) return false;
  const auto like = storage.view(*request.like, kSaveLimit);
  return like && has_state_bytes(like->bytes());
}

// What unpacking leaves behind.
Findings losses_of(const Unpacked& content, std::size_t file_size) {
  Findings losses;
  if (content.used < file_size)
    losses.push_back(
        {Level::error,
         Code::loses_parts,
         fmt::format("{} bytes come after the compressed state", grouped(file_size - content.used)),
         {"keep the original; to leave them out: ", accept_remedy(Code::loses_parts)}});
  if (!content.picture.empty())
    losses.push_back({Level::error,
                      Code::loses_parts,
                      "a picture of the screen lies beside the state in the zip",
                      {"keep the original; to leave it out: ", accept_remedy(Code::loses_parts)}});
  return losses;
}

}  // namespace

Result<std::optional<Reshaped>> reshape_state(Session& session, const ReshapeRequest& request) {
  Storage& storage = *session.storage;
  if (!names_a_form(request.as) && !names_a_form(request.is) && !imitates_a_state(storage, request))
    return std::optional<Reshaped>{};
  if (request.inputs.size() != 1 || request.as.size() > 1 || request.split ||
      !or_empty(request.code).empty())
    return fail(Trouble::usage, Code::usage, "a state goes alone, into one form",
                {Remedy::pack_state});
  const Path& path = request.inputs.front();
  const auto file = storage.view(path, kSaveLimit);
  if (!file) return tl::unexpected(file.error());
  std::optional<FileView> mould;
  if (request.like) {
    const auto view = storage.view(*request.like, kSaveLimit);
    if (!view) return tl::unexpected(view.error());
    mould = *view;
  }
  Packing from = packing_of(file->bytes());
  if (!request.is.empty()) from = parse_state_form(request.is.front()).value_or(from);
  Packing to = mould ? packing_of(mould->bytes()) : Packing::plain;
  if (!request.as.empty()) {
    const auto form = parse_state_form(request.as.front());
    if (!form)
      return fail(Trouble::stopped, Code::state_not_save,
                  fmt::format("{}: a state cannot become {}", safe_text(path.string()),
                              safe_text(request.as.front())),
                  {"'", HintPiece{Remedy::dig_state, safe_text(path.string())},
                   "' looks for the save inside"});
    to = *form;
  }
  auto content = unpack(file->bytes(), from, kMostUnpacked, AtLimit::fail, path.string());
  if (!content) return tl::unexpected(content.error());
  Reshaped result;
  const bool as_it_is = from == to && !mould;
  if (!as_it_is) result.losses = losses_of(*content, file->bytes().size());
  if (as_it_is)
    result.findings.push_back({Level::note, Code::same_form,
                               fmt::format("it is in the form state-{} already", to_string(to)),
                               ""});
  if (!result.losses.empty() && !request.accept.contains(Code::loses_parts)) {
    const Finding& first = result.losses.front();
    result.stopped = Error{Trouble::stopped, first.code, first.text, first.hint};
    return std::optional<Reshaped>(std::move(result));
  }
  const std::optional<ByteView> like = mould ? std::optional(mould->bytes()) : std::nullopt;
  const Result<Bytes> packed = as_it_is
                                   ? Bytes(file->bytes().begin(), file->bytes().end())
                                   : pack(content->bytes, to, request.out.stem().string(), like);
  if (!packed) return tl::unexpected(packed.error());
  const auto back = unpack(*packed, to, kMostUnpacked, AtLimit::fail, request.out.string());
  if (!back || !same_bytes(back->bytes, content->bytes))
    return fail(Trouble::read_back, Code::read_back,
                fmt::format("{}: what was packed unpacks to something else",
                            safe_text(request.out.string())),
                "nothing was written; please report this with the file");
  if (!request.replace && !is_missing(storage, request.out)) {
    result.stopped = output_exists(request.out);
    return std::optional<Reshaped>(std::move(result));
  }
  auto written =
      write_outputs(session, {"reshape", request.inputs.front().string(), {}, request.replace},
                    {{request.out, *packed}});
  if (!written) return tl::unexpected(written.error());
  result.move = std::move(*written);
  result.outputs.push_back(
      {request.out, fmt::format("state-{}", to_string(to)), packed->size(), sha256_hex(*packed)});
  return std::optional<Reshaped>(std::move(result));
}

}  // namespace bayswap
