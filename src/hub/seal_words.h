// The words that a hub's secret is written in for people: one for each value of a byte, in the
// order of the alphabet. The first four letters tell them apart. The list never changes: it is a
// part of the format (docs/hub.md).
#pragma once

#include <array>
#include <string_view>

namespace bayswap {

inline constexpr std::array<std::string_view, 256> kSealWords{
    "acorn",   "actor",   "adult",  "agent",   "alarm",   "album",   "alley",    "amber",
    "anchor",  "angle",   "ankle",  "apple",   "apron",   "arch",    "arrow",    "atlas",
    "attic",   "autumn",  "bacon",  "badge",   "bagel",   "baker",   "bamboo",   "banjo",
    "barn",    "basin",   "beach",  "beard",   "beetle",  "bell",    "bench",    "berry",
    "birch",   "bird",    "bishop", "blanket", "blue",    "boat",    "bonfire",  "book",
    "boot",    "bottle",  "bowl",   "branch",  "bread",   "brick",   "bridge",   "broom",
    "bucket",  "bulb",    "butter", "cabin",   "cable",   "cactus",  "camel",    "candle",
    "canoe",   "carpet",  "carrot", "castle",  "cave",    "cedar",   "cello",    "chair",
    "cheese",  "cherry",  "chess",  "chimney", "circle",  "city",    "clay",     "cliff",
    "clock",   "cloud",   "clover", "coal",    "coast",   "cobalt",  "coin",     "comet",
    "copper",  "coral",   "cotton", "crane",   "cricket", "crown",   "cup",      "curtain",
    "daisy",   "dance",   "dawn",   "deer",    "desk",    "diamond", "dinner",   "dolphin",
    "donkey",  "door",    "dragon", "drum",    "duck",    "dune",    "eagle",    "early",
    "east",    "echo",    "elbow",  "elm",     "engine",  "evening", "fable",    "falcon",
    "farm",    "feather", "fence",  "fern",    "ferry",   "fiddle",  "field",    "finger",
    "fire",    "fish",    "flame",  "flour",   "flute",   "fog",     "forest",   "fossil",
    "fox",     "frost",   "fruit",  "garden",  "garlic",  "gate",    "ginger",   "glass",
    "globe",   "goat",    "gold",   "goose",   "grape",   "gravel",  "green",    "guitar",
    "hammer",  "harbor",  "hat",    "hazel",   "hedge",   "heron",   "hill",     "honey",
    "hook",    "horse",   "hotel",  "house",   "ice",     "indigo",  "ink",      "iron",
    "island",  "ivory",   "ivy",    "jacket",  "jam",     "jelly",   "jewel",    "jungle",
    "kettle",  "king",    "kite",   "kitten",  "knot",    "ladder",  "lake",     "lamp",
    "lantern", "lava",    "leaf",   "lemon",   "letter",  "lily",    "linen",    "lion",
    "lizard",  "lobster", "magnet", "maple",   "marble",  "market",  "meadow",   "melon",
    "metal",   "mill",    "mint",   "mirror",  "moon",    "moss",    "mountain", "mouse",
    "mule",    "music",   "nail",   "needle",  "nest",    "night",   "north",    "nut",
    "oak",     "oat",     "ocean",  "olive",   "onion",   "opal",    "orange",   "orchid",
    "otter",   "oven",    "owl",    "oyster",  "paint",   "palm",    "panda",    "paper",
    "parrot",  "pasta",   "peach",  "pearl",   "pebble",  "pencil",  "pepper",   "piano",
    "pigeon",  "pillow",  "pine",   "planet",  "plum",    "pocket",  "pond",     "poppy",
    "potato",  "pumpkin", "quail",  "quartz",  "queen",   "rabbit",  "radio",    "rain",
    "raven",   "reef",    "ribbon", "rice",    "river",   "robin",   "rocket",   "root"};

}  // namespace bayswap
