#include "demo/art.h"

namespace bayswap::demo {
namespace {

using Drawing = std::array<std::string_view, kArtSide>;

// A letter a pixel: . nothing, k black, n night blue, b blue, w white, y yellow, o orange, r red,
// g green, d dark green, s stone, p plum.
constexpr Drawing kMoon{
    "nnnnnnnnnnnnnnnn", "nnnnnwnnnnnnnnnn", "nnnnnnnnnyyynnnn", "nwnnnnnnyyyynnwn",
    "nnnnnnnyyyynnnnn", "nnnnnnnyyyynnnnn", "nnwnnnnyyyynnnnn", "nnnnnnnyyyyynnny",
    "nnnnnnnnyyyyyyyy", "nnnnwnnnnyyyyyyn", "nnnnnnnnnnnnnnnn", "bnnnnnnnnnnnnwnn",
    "bbbnnnnbbbnnnnnb", "bbbbbnbbbbbbnnbb", "ddbbbbbbddbbbbbb", "dddddddddddddddd"};
constexpr Drawing kTower{
    "................", "......kkkk......", ".....kssssk.....", "....kswwwwsk....",
    "...kkkkkkkkkk...", "....ksssssskk...", "....ksyyssskwk..", "....ksyysssskwk.",
    "....kssssssk.kk.", "....kssyyssk....", "....kssyyssk....", "....kssssssk....",
    "...kssssssssk...", "...kssskkkssk...", "..ksssskkkssssk.", "..kkkkkkkkkkkkk."};
constexpr Drawing kStar{
    ".......y........", "......yyy.......", "......yyy.......", ".....yyyyy......",
    "yyyyyyyyyyyyyyy.", ".yyyyooyooyyyy..", "..yyyyyyyyyyy...", "...yyyyyyyyy....",
    "...yyyoooyyy....", "..yyyyyyyyyyy...", "..yyyyyyyyyyy...", ".yyyyyy.yyyyyy..",
    ".yyyy.....yyyy..", "yyy.........yyy.", "y.............y.", "................"};
constexpr Drawing kKite{
    "bbbbbbbbbbbbbbbb", "bbbbbbbbbbrrbbbb", "bbbbbbbbrrryybbb", "bbwwbbbrrrryyybb",
    "bwwwwbrrrrryyyyb", "bbbbbbbrrrryyybb", "bbbbbbbbooogggbb", "bbbbbbbbboogggbb",
    "bbbbbbbbbooggbbb", "bwwbbbbbbbogbbbb", "wwwwbbbbbbwbbbbb", "bbbbbbbbbwbbbbbb",
    "bbbbbbprwbbbwwbb", "bbbbbbwbbbbwwwwb", "ggggwwgggggggggg", "dddddddddddddddd"};
constexpr Drawing kForge{
    "................", "....k...........", "...kyk....k.....", "..kyyyk..kyk....",
    "..kyooyk.kyyk...", ".kyoooyykyoyk...", ".kyorroyyyooyk..", ".kyorrroyyroyk..",
    "..kyorrrrrroyk..", "...kkkkkkkkkk...", ".ssssssssssssss.", ".sskkssssskksss.",
    "..ssssssssssss..", "....ssssssss....", "...ssssssssss...", "..kkkkkkkkkkkk.."};
constexpr Drawing kWave{
    "bbbbbbbbbbbbbbbb", "bbbbbbbbbbbbbbbb", "bbbbbwwwwbbbbbbb", "bbbwwnnnnwwbbbbb",
    "bbwnnnnnnnnwbbbb", "bwnnnnnnnnnwbbbb", "bwnnnnwwwnnwbbbb", "wnnnnwbbbwwbbbbb",
    "nnnnnwbbbbbbbbbb", "nnnnnnwbbbbbbbww", "nnnnnnnwwwwwwwnn", "nnnnnnnnnnnnnnnn",
    "nwwnnnnnnwwnnnnn", "nnnnnwwnnnnnnwwn", "nnnnnnnnnnnnnnnn", "nnnnnnnnnnnnnnnn"};

const Drawing& drawing(Art art) {
  switch (art) {
    case Art::moon: return kMoon;
    case Art::tower: return kTower;
    case Art::star: return kStar;
    case Art::kite: return kKite;
    case Art::forge: return kForge;
    case Art::wave: return kWave;
  }
  return kStar;
}

constexpr std::string_view kLetters = ".knbwyorgdsp";
constexpr std::array<std::array<unsigned, 3>, kArtColours> kColours{{{0, 0, 0},
                                                                     {2, 2, 3},
                                                                     {3, 5, 12},
                                                                     {10, 18, 27},
                                                                     {30, 30, 29},
                                                                     {31, 26, 8},
                                                                     {30, 17, 4},
                                                                     {26, 6, 6},
                                                                     {10, 22, 8},
                                                                     {4, 11, 6},
                                                                     {17, 17, 19},
                                                                     {18, 6, 18}}};

}  // namespace

const std::array<unsigned, 3>& art_colour(unsigned index) {
  return kColours.at(index);
}

unsigned index_at(Art art, std::size_t x, std::size_t y) {
  return static_cast<unsigned>(kLetters.find(drawing(art)[y][x]));
}

void store(Bytes& bytes, std::size_t at, std::uint64_t value, std::size_t width, bool big) {
  for (std::size_t i = 0; i < width; ++i)
    bytes[big ? at + width - 1 - i : at + i] = static_cast<std::byte>(value >> (8 * i) & 0xFFU);
}

void store_text(Bytes& bytes, std::size_t at, std::string_view text, std::size_t room) {
  for (std::size_t i = 0; i < room; ++i)
    bytes[at + i] = i < text.size() ? static_cast<std::byte>(text[i]) : std::byte{0};
}

}  // namespace bayswap::demo
