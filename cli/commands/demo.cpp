#include <unistd.h>

#include <fmt/core.h>

#include <algorithm>
#include <cstdlib>
#include <filesystem>
#include <memory>

#include "cli/commands/commands.h"
#include "cli/render/json/json.h"
#include "cli/story.h"
#include "core/bytes/text.h"
#include "demo/world.h"

namespace bayswap::cli {
namespace {

Result<Path> demo_folder(const std::string& wanted) {
  std::error_code problem;
  if (wanted.empty()) {
    std::string pattern =
        (std::filesystem::temp_directory_path(problem) / "bayswap-demo-XXXXXX").string();
    if (::mkdtemp(pattern.data()) == nullptr)
      return fail(Trouble::place, Code::place_failed, "no temporary folder can be made",
                  "name one: bayswap demo FOLDER");
    return Path(pattern);
  }
  const Path folder = std::filesystem::absolute(wanted, problem).lexically_normal();
  if (std::filesystem::exists(folder, problem) && !std::filesystem::is_empty(folder, problem))
    return fail(Trouble::stopped, Code::name_taken, fmt::format("{}: is not empty", wanted),
                "name a new or empty folder; nothing was changed");
  return folder;
}

}  // namespace

void add_demo(Command& app, Run& run) {
  auto folder = std::make_shared<std::string>();
  auto only_build = std::make_shared<bool>(false);
  auto choice = std::make_shared<StoryChoice>();
  Command& command = add_command(app, run, "demo", "Build the demo world and tell a story in it",
                                 "bayswap demo harbour");
  command.add_option("DIR", *folder, "a new or empty folder; default: a temporary one");
  command.add_flag("--build-only", *only_build, "build the world without the story");
  command.add_flag("--all", choice->all, "the whole story, some twenty screens");
  command.add_option("--scene", choice->scene, "one scene: " + list_text(scenes_of_story()))
      .type_name("WORD");
  command.on_call([folder, only_build, choice, &run] {
    const auto scenes = scenes_of_story();
    if (!choice->scene.empty() && std::ranges::find(scenes, choice->scene) == scenes.end()) {
      run.fail({Trouble::usage, Code::usage,
                fmt::format("the story has no scene '{}'", safe_text(choice->scene)),
                "it has " + list_text(scenes)});
      return;
    }
    const auto place = demo_folder(*folder);
    if (!place) {
      run.fail(place.error());
      return;
    }
    auto built = demo::build_world(*place);
    if (!built) {
      run.fail(built.error());
      return;
    }
    if (run.json || *only_build) {
      run.print(run.json ? json_text("demo", place->string())
                         : fmt::format("the demo world is in {}\n", place->string()));
      return;
    }
    run.status = tell_story(*place, *choice, run.surroundings);
  });
}

}  // namespace bayswap::cli
