#include "bayswap/reshape.h"

#include <fmt/core.h>

#include <algorithm>
#include <system_error>

#include "core/bytes/fill.h"
#include "core/bytes/hash.h"
#include "core/bytes/text.h"
#include "core/layouts/cartridge/chips.h"
#include "files/atomic_write.h"
#include "moves/outputs.h"
#include "moves/reshape_card.h"
#include "moves/reshape_state.h"
#include "places/inspect.h"
#include "reading/open_card.h"
#include "reading/part_layouts.h"

namespace bayswap {
namespace {

struct Input {
  Save save;
  const Layout* layout = nullptr;
  Findings findings;
  Hints hints;
  std::optional<FileView> whole = {};  // the file, when nothing but the save stands in it
};

struct Output {
  Path path;
  const Layout* layout = nullptr;
  Bytes bytes;
};

// Layouts of different chips that fit equally well cannot be told apart from here.
Result<void> choose_guess(Inspection& found, const std::vector<const Layout*>& targets) {
  auto& guesses = found.guesses;
  const Guess best = guesses.front();
  std::erase_if(guesses, [&](const Guess& guess) {
    return guess.confidence < best.confidence || guess.basis != best.basis;
  });
  if (guesses.size() < 2) return {};
  // The wanted layout speaks: a file becomes n64-flash only if it holds flash.
  const auto wanted = [&](const Guess& guess) {
    return std::any_of(targets.begin(), targets.end(), [&](const Layout* target) {
      return target->info().parts == guess.layout->info().parts;
    });
  };
  if (std::any_of(guesses.begin(), guesses.end(), wanted))
    std::erase_if(guesses, [&](const Guess& guess) { return !wanted(guess); });
  const auto& parts = guesses.front().layout->info().parts;
  std::vector<std::string> ids;
  bool differ = false;
  for (const Guess& guess : guesses) {
    ids.push_back(guess.layout->info().id);
    differ = differ || guess.layout->info().parts != parts;
  }
  if (!differ) return {};
  return fail(Trouble::stopped, Code::many_match,
              fmt::format("{}: {} bytes can be {}", safe_text(found.path.string()),
                          grouped(found.info.size), list_text(ids)),
              {"say which it is with ", Remedy::layout_of_input, ", or name the game's ROM with ",
               Remedy::rom});
}

Result<Input> read_input(Session& session, RomFolders& folders, const Path& path,
                         const std::string& is, const ReshapeRequest& request,
                         const std::vector<const Layout*>& targets) {
  if (is_missing(*session.storage, path))
    if (const auto card = open_card(session, path.string(), is);
        card && card->container != nullptr && holds_chips(*card->layout)) {
      auto content = card->layout->read(card->bytes(), card->hints);
      if (!content) return tl::unexpected(content.error());
      return Input{std::move(content->saves.front()), card->layout, {}, {}};
    }
  InspectOptions how;
  how.is = is;
  how.rom = request.rom;
  if (!targets.empty()) how.system = targets.front()->info().system;
  // The file that is to be imitated may lie beside its ROM.
  if (request.like && is.empty() && !how.rom && !how.system) {
    const auto like = inspect(session, folders, *request.like, {});
    if (like && like->rom) how.rom = like->rom->path;
  }
  auto found = inspect(session, folders, path, how);
  if (!found) return tl::unexpected(found.error());
  if (found->state && found->guesses.empty()) {
    const Finding state = state_finding("its form or size matches no save chip");
    return fail(Trouble::stopped, state.code,
                fmt::format("{}: {}", safe_text(path.string()), state.text), state.hint);
  }
  if (found->guesses.empty()) {
    const Finding why = judge_unknown(*found).front();
    return fail(
        Trouble::input, why.code, fmt::format("{}: {}", safe_text(path.string()), why.text),
        why.hint.empty() ? Hint{"say what it is with ", Remedy::layout_of_input} : why.hint);
  }
  if (is.empty())
    if (auto chosen = choose_guess(*found, targets); !chosen) return tl::unexpected(chosen.error());
  Input input;
  input.layout = found->layout();
  input.hints = found->hints;
  auto content = input.layout->read(found->view.bytes(), found->hints);
  if (!content) {
    Error error = content.error();
    error.text = fmt::format("{}: {}", safe_text(path.string()), error.text);
    return tl::unexpected(error);
  }
  if (content->saves.empty())
    return fail(Trouble::input, Code::no_match,
                fmt::format("{}: holds no save", safe_text(path.string())));
  input.save = std::move(content->saves.front());
  input.findings = std::move(content->findings);
  if (content->trailer.empty())
    input.whole = found->view;
  else
    input.findings.push_back(dropped_surroundings(content->trailer.size()));
  if (is.empty() && found->guesses.front().confidence != Confidence::certain)
    input.findings.push_back({Level::note,
                              Code::assumed,
                              fmt::format("{}: taken for {} ({})", safe_text(path.string()),
                                          input.layout->info().id, found->guesses.front().reason),
                              {"if that is wrong, say what it is with ", Remedy::layout_of_input}});
  return input;
}

// `Glacier Post.pak2`, as splitting writes it, goes back to its slot; other paks take free ones.
std::string slot_for(const Save& joined, const Part& part, const Path& file) {
  if (part.name != "pak1") return part.name;
  const std::string extension = file.extension().string();
  if (extension.size() == 5 && extension.starts_with(".pak") && extension[4] >= '1' &&
      extension[4] <= '4' && joined.part(extension.substr(1)) == nullptr)
    return extension.substr(1);
  for (const std::string_view slot : {"pak1", "pak2", "pak3", "pak4"})
    if (joined.part(slot) == nullptr) return std::string(slot);
  return part.name;
}

Result<void> join(Save& joined, Save more, const Path& file, bool several) {
  if (joined.parts.empty()) {
    joined = std::move(more);
    if (several && joined.parts.size() == 1)
      joined.parts[0].name = slot_for(Save{}, joined.parts[0], file);
    return {};
  }
  if (more.system != joined.system)
    return fail(
        Trouble::stopped, Code::other_game,
        fmt::format("{}: is a {} save, the first input is a {} save", safe_text(file.string()),
                    to_string(more.system), to_string(joined.system)),
        "join files of one game only");
  for (Part& part : more.parts) {
    part.name = slot_for(joined, part, file);
    Part* there = joined.part(part.name);
    if (there != nullptr && !there->blank && !part.blank)
      return fail(Trouble::stopped, Code::name_taken,
                  fmt::format("{}: its {} is in another input already", safe_text(file.string()),
                              part.name),
                  "give each chip once");
    if (there != nullptr) {
      if (there->blank) *there = std::move(part);
    } else {
      joined.parts.push_back(std::move(part));
    }
  }
  return {};
}

Result<std::vector<const Layout*>> wanted_layouts(const ReshapeRequest& request) {
  std::vector<const Layout*> targets;
  for (const std::string& id : request.as) {
    auto layout = find_layout(id);
    if (!layout) return tl::unexpected(layout.error());
    targets.push_back(*layout);
  }
  return targets;
}

Result<const Layout*> mould_layout(Session& session, RomFolders& folders, const Save& save,
                                   const ReshapeRequest& request) {
  InspectOptions how;
  how.system = save.system;
  how.rom = request.rom;
  auto found = inspect(session, folders, *request.like, how);
  if (!found) return tl::unexpected(found.error());
  // An older save of the same game shows its order, even behind a header that hides its size.
  const Layout* alike = nullptr;
  std::size_t most = 0;
  std::vector<const Layout*> fitting;
  for (const Guess& guess : found->guesses) fitting.push_back(guess.layout);
  for (const auto& layout : layouts().all())
    if (layout->info().system == save.system) fitting.push_back(layout.get());
  for (const Layout* layout : fitting) {
    const std::size_t runs =
        shared_runs(*layout, {std::span(&save, 1), found->view.bytes(), found->hints});
    if (runs > most) {
      most = runs;
      alike = layout;
    }
  }
  if (alike != nullptr) return alike;
  for (const Guess& guess : found->guesses)
    for (const std::string& part : guess.layout->info().parts)
      if (save.part(part) != nullptr) return guess.layout;
  return fail(Trouble::stopped, Code::mould_differs,
              fmt::format("{}: is not a {} save that holds the same chip",
                          safe_text(request.like->string()), to_string(save.system)),
              {"name a file of the destination, or use ", Remedy::layout_of_output});
}

class Outputs {
 public:
  Outputs(const Save& save, const Hints& hints) : save_(save), hints_(hints) {}

  Result<void> add(const Layout& layout, const Path& path, std::optional<ByteView> mould) {
    const Save part_save = only_for(save_, layout, kept_);
    return write(layout, part_save, path, mould);
  }

  Result<void> add_part(const Part& part, const Path& path) {
    Save single = save_;
    single.parts = {part};
    single.parts.front().name = part_base(part.name);
    const Layout* layout = native_layout(save_.system, part);
    if (layout == nullptr) return {};
    kept_.push_back(part.name);
    return write(*layout, single, path, std::nullopt);
  }

  /// The clock as the second file of a layout that keeps it beside the save.
  Result<void> add_clock(const Path& path) {
    for (const auto& layout : layouts().all()) {
      const LayoutInfo& info = layout->info();
      if (info.system != save_.system || info.second_file.empty() ||
          std::ranges::find(info.parts, "clock") == info.parts.end())
        continue;
      auto written = layout->write({std::span(&save_, 1), std::nullopt, hints_});
      if (!written) return tl::unexpected(written.error());
      kept_.emplace_back("clock");
      files.push_back({path, layout.get(), std::move(written->second_file)});
      return {};
    }
    return {};
  }

  /// The only file at a size of the user's: erased bytes come behind it, or leave it.
  Result<void> fill_up(std::uint64_t size) {
    if (files.size() != 1 || files.front().layout->info().parts.size() != 1)
      return fail(Trouble::stopped, Code::no_match,
                  "a size can be given to one file of one chip only",
                  "name one layout, and one output");
    Output& file = files.front();
    const Part whole{file.layout->info().parts.front(), std::move(file.bytes)};
    auto sized = resized(whole, size, kErasedOnes, losses);
    file.bytes = sized ? std::move(*sized) : Bytes{};
    return {};
  }

  void judge_losses() {
    const std::string where = files.size() == 1 ? files.front().layout->info().id : "the outputs";
    add_losses(save_, kept_, where, losses);
  }

  std::vector<Output> files;
  Findings losses;
  Findings notes;

 private:
  Result<void> write(const Layout& layout, const Save& save, const Path& path,
                     std::optional<ByteView> mould) {
    if (save.parts.empty())
      return fail(Trouble::stopped, Code::no_match,
                  fmt::format("the save has nothing that {} could hold", layout.info().id),
                  fmt::format("it is a {} save with {}", to_string(save_.system), part_names()));
    auto written = imitate(layout, {std::span(&save, 1), mould, hints_});
    if (!written) return tl::unexpected(written.error());
    losses.insert(losses.end(), written->losses.begin(), written->losses.end());
    notes.insert(notes.end(), written->notes.begin(), written->notes.end());
    files.push_back({path, &layout, std::move(written->bytes)});
    return {};
  }

  [[nodiscard]] std::string part_names() const {
    std::vector<std::string> names;
    for (const Part& part : save_.parts) names.push_back(part.name);
    return names.empty() ? "no parts" : list_text(names);
  }

  const Save& save_;
  const Hints& hints_;
  std::vector<std::string> kept_;
};

std::string part_suffix(const Save& save, const Layout& layout) {
  std::vector<std::string> taken;
  const Save held = only_for(save, layout, taken);
  return taken.size() == 1 ? taken.front() : layout.info().id;
}

constexpr std::uint64_t kLargestFileSize = 16ULL << 20U;

// The inputs, joined into one save.
struct Joined {
  Save save;
  const Layout* layout = nullptr;      // of the only input
  std::optional<FileView> whole = {};  // likewise
  Hints hints;
  Findings findings;
};

Result<void> plan_outputs(Session& session, RomFolders& folders, Joined& joined,
                          const ReshapeRequest& request, const std::vector<const Layout*>& targets,
                          Outputs& outputs) {
  Save& save = joined.save;
  const std::string stem = request.inputs.front().stem().string();
  const auto part_path = [&](const std::string& part) { return request.out / (stem + "." + part); };
  if (request.split) {
    for (const Part& part : save.parts)
      if (!part.blank)
        if (auto added = part.name == "clock" ? outputs.add_clock(part_path(part.name))
                                              : outputs.add_part(part, part_path(part.name));
            !added)
          return added;
    if (outputs.files.empty())
      return fail(
          Trouble::stopped, Code::blank_source,
          fmt::format("{}: every part is blank, there is nothing to write",
                      safe_text(request.inputs.front().string())),
          {"name the wanted layout with ", Remedy::layout_of_output, " to write blank chips"});
    return {};
  }
  if (request.like) {
    const auto mould = session.storage->view(*request.like, kSaveLimit);
    if (!mould) return tl::unexpected(mould.error());
    const Layout* layout = targets.empty() ? nullptr : targets.front();
    if (layout == nullptr) {
      auto found = mould_layout(session, folders, save, request);
      if (!found) return tl::unexpected(found.error());
      layout = *found;
    }
    return outputs.add(*layout, request.out, mould->bytes());
  }
  if (targets.empty() && joined.layout != nullptr)
    return outputs.add(*joined.layout, request.out, std::nullopt);
  if (targets.size() == 1) {
    // In its own layout a file keeps what is not a save in it, such as the bytes between a chip's.
    std::optional<ByteView> mould;
    if (targets.front() == joined.layout && joined.whole && !request.file_size)
      mould = joined.whole->bytes();
    return outputs.add(*targets.front(), request.out, mould);
  }
  for (const Layout* target : targets) {
    if (target->info().parts == std::vector<std::string>{"pak1"}) {
      bool any = false;
      for (const Part& part : save.parts)
        if (part.name.starts_with("pak") && !part.blank) {
          any = true;
          if (auto added = outputs.add_part(part, part_path(part.name)); !added) return added;
        }
      if (any) continue;
    }
    if (auto added = outputs.add(*target, part_path(part_suffix(save, *target)), std::nullopt);
        !added)
      return added;
  }
  return {};
}

Result<void> check_request(const ReshapeRequest& request) {
  const auto wrong = [](const std::string& text, const Hint& hint) {
    return fail(Trouble::usage, Code::usage, text, hint);
  };
  if (request.inputs.empty()) return wrong("no input file is named", {Remedy::convert});
  if (request.out.empty()) return wrong("no output is named", "name a file or folder to write to");
  const int ways = (request.as.empty() ? 0 : 1) + (request.split ? 1 : 0);
  if (request.file_size && (*request.file_size == 0 || *request.file_size > kLargestFileSize))
    return wrong("no save has the wanted size", "name a size of at most 16 MiB");
  if (ways == 0 && !request.like && or_empty(request.code).empty() && !request.file_size)
    return wrong("no form is named", {"add ", Remedy::layout_of_output, ", ", Remedy::older_save,
                                      " or ", Remedy::each_part});
  if (ways == 2 || (request.split && request.like))
    return wrong("one file for each part can't be combined with another form",
                 "choose one of them");
  if (request.like && request.as.size() > 1)
    return wrong("an imitated file goes with one layout, and several are named", "name one layout");
  if (request.is.size() > 1 && request.is.size() != request.inputs.size())
    return wrong(
        fmt::format("{} layouts are named for {} inputs", request.is.size(), request.inputs.size()),
        "name one for all inputs, or one for each");
  return {};
}

Result<Joined> read_inputs(Session& session, RomFolders& folders, const ReshapeRequest& request,
                           const std::vector<const Layout*>& targets) {
  Joined joined;
  for (std::size_t i = 0; i < request.inputs.size(); ++i) {
    const std::string is = request.is.empty() ? "" : request.is[request.is.size() == 1 ? 0 : i];
    auto input = read_input(session, folders, request.inputs[i], is, request, targets);
    if (!input) return tl::unexpected(input.error());
    if (auto done =
            join(joined.save, std::move(input->save), request.inputs[i], request.inputs.size() > 1);
        !done)
      return tl::unexpected(done.error());
    joined.findings.insert(joined.findings.end(), input->findings.begin(), input->findings.end());
    if (i == 0) joined.hints = input->hints;
    if (request.inputs.size() > 1) continue;
    joined.layout = input->layout;
    joined.whole = std::move(input->whole);
  }
  return joined;
}

// Why the outputs are not written; nothing when they may be.
std::optional<Error> reason_to_stop(Storage& storage, const ReshapeRequest& request,
                                    const Outputs& outputs) {
  if (!outputs.losses.empty() && !request.accept.contains(Code::loses_parts)) {
    const Finding& first = outputs.losses.front();
    return Error{Trouble::stopped, first.code, first.text, first.hint};
  }
  for (const Output& output : outputs.files)
    if (!request.replace && !is_missing(storage, output.path)) return output_exists(output.path);
  return std::nullopt;
}

Result<void> write_all(Session& session, const ReshapeRequest& request, const std::string& title,
                       Outputs& outputs, Reshaped& result) {
  std::vector<OutFile> files;
  for (Output& output : outputs.files) {
    result.outputs.push_back(
        {output.path, output.layout->info().id, output.bytes.size(), sha256_hex(output.bytes)});
    files.push_back({output.path, std::move(output.bytes)});
  }
  auto written =
      write_outputs(session, {"reshape", request.inputs.front().string(), title, request.replace},
                    std::move(files));
  if (!written) return tl::unexpected(written.error());
  result.move = std::move(*written);
  return {};
}

Result<Reshaped> reshape_chips(Session& session, const ReshapeRequest& request,
                               const std::vector<const Layout*>& targets) {
  RomFolders folders(session);
  auto joined = read_inputs(session, folders, request, targets);
  if (!joined) return tl::unexpected(joined.error());
  Outputs outputs(joined->save, joined->hints);
  if (auto planned = plan_outputs(session, folders, *joined, request, targets, outputs); !planned)
    return tl::unexpected(planned.error());
  if (request.file_size)
    if (auto filled = outputs.fill_up(*request.file_size); !filled)
      return tl::unexpected(filled.error());
  outputs.judge_losses();
  Reshaped result;
  result.losses = outputs.losses;
  result.findings = std::move(joined->findings);
  result.findings.insert(result.findings.end(), outputs.notes.begin(), outputs.notes.end());
  result.stopped = reason_to_stop(*session.storage, request, outputs);
  if (result.stopped) return result;
  if (auto written = write_all(session, request, joined->save.game.title, outputs, result);
      !written)
    return tl::unexpected(written.error());
  return result;
}

}  // namespace

Result<Reshaped> reshape(Session& session, const ReshapeRequest& request) {
  if (auto fine = check_request(request); !fine) return tl::unexpected(fine.error());
  auto of_state = reshape_state(session, request);
  if (!of_state) return tl::unexpected(of_state.error());
  if (*of_state) return std::move(**of_state);
  const auto targets = wanted_layouts(request);
  if (!targets) return tl::unexpected(targets.error());
  auto of_card = reshape_card(session, request);
  if (!of_card) return tl::unexpected(of_card.error());
  if (*of_card) return std::move(**of_card);
  if (!or_empty(request.code).empty())
    return fail(Trouble::stopped, Code::no_match,
                fmt::format("{}: carries no label that could be changed",
                            safe_text(request.inputs.front().string())),
                "only saves of memory cards bear the code of their game");
  return reshape_chips(session, request, *targets);
}

}  // namespace bayswap
