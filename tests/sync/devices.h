// Devices with bays of their own around one hub, all in one temporary folder.
#pragma once

#include <gtest/gtest.h>

#include <chrono>
#include <map>
#include <memory>
#include <string>
#include <vector>

#include "bayswap/sync.h"
#include "demo/makers.h"
#include "support/bytes.h"
#include "support/folder.h"

namespace bayswap::test {

// The game of most of these tests.
inline const std::string kGame = "KITE HARBOUR";

/// How a device keeps its saves.
struct Habit {
  std::string saves;      ///< folder of the saves, with `/`; empty: beside the ROMs
  std::string extension;  ///< of a save
  bool upper = false;     ///< its ROMs have names of their own
};

inline const std::vector<Habit>& habits() {
  static const std::vector<Habit> kHabits{
      {"", ".sav", false}, {"saves/", ".srm", false}, {"battery/", ".sav", true}};
  return kHabits;
}

inline const std::vector<std::string>& games() {
  static const std::vector<std::string> kGames{"KITE HARBOUR", "TIDE TABLE", "POST OFFICE"};
  return kGames;
}

class Device {
 public:
  Device(const TempFolder& world, const std::string& name, const Habit& habit)
      : world_(world), name_(name), habit_(habit) {
    for (const std::string& game : games())
      world_.write(name + "/place/roms/" + stem(game) + ".gb", demo::gb_rom(game, 0x03, 2), 400);
    std::string text = "[bay." + name + "]\nplace = \"" + (world_ / (name + "/place")).string() +
                       "\"\n[[bay." + name +
                       ".shelf]]\nsystem = \"gb\"\nkind = \"battery\"\n"
                       "pattern = \"" +
                       (habit.saves.empty() ? "roms/" : habit.saves) + "{stem}" + habit.extension +
                       "\"\nlayout = [\"gb-battery\"]\nroms = \"roms\"\n";
    world_.write(name + "/config/bays.toml", text);
  }

  [[nodiscard]] std::string stem(const std::string& game) const {
    return habit_.upper ? game + " (Home)" : game;
  }
  [[nodiscard]] Path save_path(const std::string& game) const {
    return world_ / (name_ + "/place/" + (habit_.saves.empty() ? "roms/" : habit_.saves) +
                     stem(game) + habit_.extension);
  }
  [[nodiscard]] Bytes save(const std::string& game) const { return read(save_path(game)); }
  [[nodiscard]] bool has(const std::string& game) const {
    return std::filesystem::exists(save_path(game));
  }
  void play(const std::string& game, const Bytes& content, int age_days = 10) const {
    world_.write(save_path(game).lexically_relative(world_.path()).string(), content, age_days);
  }
  void lose(const std::string& game) const { std::filesystem::remove(save_path(game)); }

  [[nodiscard]] Session open(Storage& storage = disk()) const {
    auto session =
        Session::open(storage, {world_ / (name_ + "/config"), world_ / (name_ + "/data")});
    EXPECT_TRUE(session) << session.error().text;
    return std::move(*session);
  }
  void join() const {
    Session session = open();
    const auto joined = join_hub(session, (world_ / "hub").string(), name_);
    ASSERT_TRUE(joined) << joined.error().text;
  }
  [[nodiscard]] Result<SyncReport> sync(SyncRequest request = {}, Storage& storage = disk()) const {
    Session session = open(storage);
    return bayswap::sync(session, request);
  }
  [[nodiscard]] const std::string& name() const { return name_; }
  /// Everything that the device has, for a backup.
  [[nodiscard]] Path home() const { return world_ / name_; }

 private:
  const TempFolder& world_;
  std::string name_;
  Habit habit_;
};

class SyncTest : public ::testing::Test {
 protected:
  void SetUp() override { std::filesystem::create_directory(world_ / "hub"); }

  Device& device(const std::string& name, std::size_t habit) {
    devices_.push_back(std::make_unique<Device>(world_, name, habits()[habit % habits().size()]));
    devices_.back()->join();
    return *devices_.back();
  }
  static SyncReport synced(const Device& device, const SyncRequest& request = {}) {
    auto report = device.sync(request);
    EXPECT_TRUE(report) << report.error().text;
    return report ? std::move(*report) : SyncReport{};
  }
  static Bytes progress(std::uint32_t seed) {
    Bytes bytes = random_bytes(0x2000, seed);
    std::fill(bytes.begin() + 0x1C00, bytes.end(), std::byte{0xFF});
    return bytes;
  }

  TempFolder world_;
  std::vector<std::unique_ptr<Device>> devices_;
};

}  // namespace bayswap::test
