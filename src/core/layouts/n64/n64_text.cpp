#include "core/layouts/n64/n64_text.h"

#include <array>

#include "core/bytes/cursor.h"

namespace bayswap {
namespace {

constexpr std::size_t kFirst = 0x0F;

// The letters from 0F on; the empty ones do not exist.
constexpr std::array<std::string_view, 0x95 - kFirst> kLetters{
    " ",  "0",  "1",  "2",  "3",  "4",  "5",  "6",  "7",  "8",  "9",  "A",  "B",  "C",  "D",
    "E",  "F",  "G",  "H",  "I",  "J",  "K",  "L",  "M",  "N",  "O",  "P",  "Q",  "R",  "S",
    "T",  "U",  "V",  "W",  "X",  "Y",  "Z",  "!",  "\"", "#",  "'",  "*",  "+",  ",",  "-",
    ".",  "/",  ":",  "=",  "?",  "@",  "。", "゛", "゜", "ァ", "ィ", "ゥ", "ェ", "ォ", "ッ",
    "ャ", "ュ", "ョ", "ヲ", "ン", "ア", "イ", "ウ", "エ", "オ", "カ", "キ", "ク", "ケ", "コ",
    "サ", "シ", "ス", "セ", "ソ", "タ", "チ", "ツ", "テ", "ト", "ナ", "ニ", "ヌ", "ネ", "ノ",
    "ハ", "ヒ", "フ", "ヘ", "ホ", "マ", "ミ", "ム", "メ", "モ", "ヤ", "ユ", "ヨ", "ラ", "リ",
    "ル", "レ", "ロ", "ワ", "ガ", "ギ", "グ", "ゲ", "ゴ", "ザ", "ジ", "ズ", "ゼ", "ゾ", "ダ",
    "ヂ", "ヅ", "デ", "ド", "バ", "ビ", "ブ", "ベ", "ボ", "パ", "ピ", "プ", "ペ", "ポ"};
static_assert(kLetters[0x50 - kFirst] == "ア" && kLetters[0x7C - kFirst] == "ガ");
static_assert(kLetters.back() == "ポ" && kLetters[0x34 - kFirst] == "!");

constexpr std::string_view kUnknown = "\xEF\xBF\xBD";  // U+FFFD

std::string_view letter_of(std::byte byte) {
  const std::size_t place = to_u8(byte);
  return place >= kFirst && place - kFirst < kLetters.size() ? kLetters[place - kFirst]
                                                             : std::string_view{};
}

}  // namespace

std::string n64_text(ByteView bytes) {
  std::string text;
  for (const std::byte byte : bytes) {
    if (byte == std::byte{0}) break;
    const std::string_view letter = letter_of(byte);
    text += letter.empty() ? kUnknown : letter;
  }
  return text;
}

std::optional<Bytes> n64_bytes(std::string_view text, std::size_t length) {
  Bytes bytes;
  while (!text.empty()) {
    std::string first(text.substr(0, 1));
    if (first[0] >= 'a' && first[0] <= 'z') first[0] = static_cast<char>(first[0] - 'a' + 'A');
    std::size_t place = 0;
    std::size_t used = 0;
    for (; place < kLetters.size(); ++place) {
      used = kLetters[place].size();
      if (kLetters[place] == first || (used > 1 && text.starts_with(kLetters[place]))) break;
    }
    if (place == kLetters.size() || bytes.size() == length) return std::nullopt;
    bytes.push_back(static_cast<std::byte>(kFirst + place));
    text.remove_prefix(used);
  }
  bytes.resize(length);
  return bytes;
}

bool is_n64_text(ByteView bytes) {
  for (const std::byte byte : bytes) {
    if (byte == std::byte{0}) return true;
    if (letter_of(byte).empty()) return false;
  }
  return true;
}

}  // namespace bayswap
