#include "demo/simulated_reader.h"

#include <algorithm>
#include <utility>

namespace bayswap::demo {
namespace {

constexpr int kLow = 3300;
constexpr int kHigh = 5000;
constexpr std::uint64_t kBusLimit = 64ULL << 20U;  // bytes

CborMap error(const std::string& code, const std::string& text = {}) {
  return {{"error", {code}}, {"text", {text}}};
}

bool needs_low_volts(System system) {
  return system == System::gba || system == System::n64 || system == System::nds;
}

CborValue number(std::uint64_t value) {
  return {static_cast<std::int64_t>(value)};
}

}  // namespace

SimulatedReader::SimulatedReader(std::optional<SimulatedCartridge> cartridge, ReaderTraits traits,
                                 ReaderFaults faults)
    : cartridge_(std::move(cartridge)),
      traits_(traits),
      faults_(std::move(faults)),
      numbers_(faults_.seed),
      volts_mv_(traits_.volts_mv),
      session_(static_cast<std::int64_t>(numbers_())) {}

void SimulatedReader::take(ByteView bytes, Milliseconds now) {
  frames_.push(bytes);
  while (const auto payload = frames_.next())
    if (!chance(faults_.lost)) question(*payload, now);
}

Bytes SimulatedReader::give(Milliseconds now) {
  Bytes out;
  std::ranges::stable_sort(due_, {}, &Due::at);
  while (!due_.empty() && due_.front().at <= now) {
    out.insert(out.end(), due_.front().bytes.begin(), due_.front().bytes.end());
    due_.pop_front();
  }
  return out;
}

std::optional<Milliseconds> SimulatedReader::next_due() const {
  if (due_.empty()) return std::nullopt;
  return std::ranges::min_element(due_, {}, &Due::at)->at;
}

void SimulatedReader::power_off() {
  power_ = false;
  if (buffered_ && faults_.loses_buffers)
    if (SimulatedChip* there = chip(buffered_->area))
      std::ranges::copy(buffered_->before,
                        there->bytes.begin() + static_cast<std::ptrdiff_t>(buffered_->at));
  if (std::exchange(buffered_, std::nullopt)) tell_change();
}

void SimulatedReader::tell_change() const {
  if (changed_ && cartridge_) changed_(*cartridge_);
}

void SimulatedReader::put_in(std::optional<SimulatedCartridge> cartridge) {
  power_off();
  cartridge_ = std::move(cartridge);
  ++session_;
}

void SimulatedReader::question(const Bytes& payload, Milliseconds now) {
  const auto message = decoded(payload);
  if (!message) return;
  const auto ask = number_in(*message, "ask");
  const std::string* what = text_in(*message, "do");
  if (!ask || *ask < 1 || *ask > 65'535) return;
  ++asked_;
  if (faults_.stall_after && asked_ > *faults_.stall_after) return;
  if (traits_.switch_moved_at && asked_ == *traits_.switch_moved_at)
    volts_mv_ = volts_mv_ == kLow ? kHigh : kLow;
  if (faults_.pull_after && asked_ == *faults_.pull_after) put_in(std::nullopt);
  if (faults_.swap_after && asked_ == *faults_.swap_after) put_in(faults_.other);
  const bool again = payload == last_question_ && (what == nullptr || *what != "hello");
  if (!again) {
    CborMap fields = what == nullptr ? error("bad-question") : work(*what, *message);
    fields.emplace_back("for", CborValue{*ask});
    last_question_ = payload;
    last_answer_ = encoded(fields);
    ++worked_;
  }
  answer(last_answer_, now);
}

void SimulatedReader::answer(const Bytes& payload, Milliseconds now) {
  Bytes frame = framed(payload);
  if (traits_.bytes_per_second > 0) {
    // The rest of a millisecond is not given away.
    const std::uint64_t taken = frame.size() * 1000 + line_rest_;
    now += Milliseconds(taken / traits_.bytes_per_second);
    line_rest_ = taken % traits_.bytes_per_second;
  }
  if (chance(faults_.lost)) return;
  if (chance(faults_.damaged))
    frame[numbers_() % frame.size()] ^= static_cast<std::byte>(1U << numbers_() % 8);
  if (chance(faults_.delayed)) now += Milliseconds(2000);
  if (chance(faults_.reordered) && held_.empty()) {
    held_ = frame;
    return;
  }
  due_.push_back({now, frame});
  if (chance(faults_.doubled)) due_.push_back({now, frame});
  if (!held_.empty()) due_.push_back({now, std::exchange(held_, {})});
}

CborMap SimulatedReader::work(const std::string& what, const CborMap& question) {
  if (what == "hello") return hello();
  if (what == "probe") {
    if (!cartridge_) return {{"present", {false}}};
    return {{"present", {true}},
            {"slot", {std::string(to_string(cartridge_->system))}},
            {"session", {session_}}};
  }
  if (what == "volts") {
    const auto volts = number_in(question, "volts");
    if (!volts) return error("bad-question");
    if (*volts != kLow && *volts != kHigh) return error("range");
    if (traits_.volts_by_switch && *volts != volts_mv_)
      return error("switch", "move the switch on the side");
    power_off();
    volts_mv_ = static_cast<int>(*volts);
    return {{"volts", {std::int64_t{volts_mv_}}}};
  }
  if (what == "power") {
    const auto on = truth_in(question, "on");
    if (!on) return error("bad-question");
    if (!*on) power_off();
    switched_off_ = !*on;
    return {{"on", {*on}}};
  }
  if (what == "areas" || what == "read" || what == "write" || what == "erase")
    return work_on_cartridge(what, question);
  return error("not-supported");
}

CborMap SimulatedReader::work_on_cartridge(const std::string& what, const CborMap& question) {
  const auto session = number_in(question, "session");
  if (!session) return error("bad-question");
  if (!cartridge_) return error("no-cartridge");
  if (*session != session_) return error("other-session");
  if (switched_off_) return error("no-power");
  if (needs_low_volts(cartridge_->system) != (volts_mv_ == kLow)) {
    harmed_ = harmed_ || needs_low_volts(cartridge_->system);
    return error("wrong-volts");
  }
  power_ = true;
  CborMap fields = what == "areas"   ? areas()
                   : what == "read"  ? read(question)
                   : what == "write" ? write(question)
                                     : erase(question);
  fields.emplace_back("session", CborValue{session_});
  return fields;
}

CborMap SimulatedReader::hello() const {
  std::vector<CborValue> slots;
  for (const char* slot : {"gb", "gba", "n64", "snes", "md", "nes"})
    slots.push_back({std::string(slot)});
  return {{"link", {std::int64_t{1}}},
          {"name", {std::string("Pier Reader")}},
          {"serial", {std::string("PR-0001")}},
          {"chunk", number(traits_.chunk)},
          {"volts", {std::int64_t{volts_mv_}}},
          {"can_volts", {std::vector<CborValue>{{std::int64_t{kLow}}, {std::int64_t{kHigh}}}}},
          {"volts_by", {std::string(traits_.volts_by_switch ? "switch" : "host")}},
          {"slots", {slots}}};
}

CborMap SimulatedReader::areas() const {
  std::vector<CborValue> list;
  CborMap rom{{"area", {std::string("rom")}}};
  if (cartridge_->rom_size_told) rom.emplace_back("size", number(cartridge_->rom.size()));
  list.push_back({rom});
  for (const SimulatedChip& chip : cartridge_->chips) {
    CborMap area{{"area", {chip.area}},
                 {"chip", {chip.kind}},
                 {"size", number(chip.bytes.size())},
                 {"page", number(chip.page)}};
    if (chip.erase_page > 0) area.emplace_back("erase_page", number(chip.erase_page));
    list.push_back({area});
  }
  return {{"areas", {list}}};
}

SimulatedChip* SimulatedReader::chip(const std::string& area) {
  if (!cartridge_) return nullptr;
  const auto found = std::ranges::find(cartridge_->chips, area, &SimulatedChip::area);
  return found == cartridge_->chips.end() ? nullptr : &*found;
}

CborMap SimulatedReader::read(const CborMap& question) {
  const std::string* area = text_in(question, "area");
  const auto at = number_in(question, "at");
  const auto size = number_in(question, "size");
  if (area == nullptr || !at || !size || *at < 0 || *size < 1) return error("bad-question");
  if (static_cast<std::uint64_t>(*size) > traits_.chunk) return error("bad-question");
  const SimulatedChip* there = chip(*area);
  if (there == nullptr && *area != "rom") return error("range");
  const Bytes& bytes = there == nullptr ? cartridge_->rom : there->bytes;
  // An area whose size nobody told repeats up to the end of the bus.
  const bool told = there == nullptr ? cartridge_->rom_size_told : there->size_told;
  const std::uint64_t end = told ? bytes.size() : kBusLimit;
  const auto from = static_cast<std::uint64_t>(*at);
  const auto count = static_cast<std::size_t>(*size);
  if (from > end || count > end - from || bytes.empty()) return error("range");
  Bytes data;
  data.reserve(count);
  for (auto begin = static_cast<std::size_t>(from % bytes.size()); data.size() < count; begin = 0) {
    const ByteView piece =
        ByteView(bytes).subspan(begin, std::min(count - data.size(), bytes.size() - begin));
    data.insert(data.end(), piece.begin(), piece.end());
  }
  if (chance(faults_.flips))
    for (unsigned i = 0; i < 1 + numbers_() % 4; ++i)
      data[numbers_() % count] ^= static_cast<std::byte>(1U << numbers_() % 8);
  return {{"data", {data}}};
}

CborMap SimulatedReader::write(const CborMap& question) {
  const std::string* area = text_in(question, "area");
  const auto at = number_in(question, "at");
  const Bytes* data = bytes_in(question, "data");
  if (area == nullptr || !at || *at < 0 || data == nullptr || data->empty())
    return error("bad-question");
  SimulatedChip* there = chip(*area);
  const auto from = static_cast<std::uint64_t>(*at);
  if (there == nullptr || from > there->bytes.size() || data->size() > there->bytes.size() - from ||
      from / there->page != (from + data->size() - 1) / there->page)
    return error("range");
  CborMap done{{"wrote", number(data->size())}};
  const bool takes = !faults_.third_try || ++tries_[{*area, from}] >= 3;
  if (!takes || chance(faults_.ignored)) return done;
  const auto begin = there->bytes.begin() + static_cast<std::ptrdiff_t>(from);
  buffered_ = {*area, from, Bytes(begin, begin + static_cast<std::ptrdiff_t>(data->size()))};
  for (std::size_t i = 0; i < data->size(); ++i) {
    std::byte& cell = there->bytes[static_cast<std::size_t>(from) + i];
    cell = there->kind == "flash" ? cell & (*data)[i] : (*data)[i];
  }
  tell_change();
  return done;
}

CborMap SimulatedReader::erase(const CborMap& question) {
  const std::string* area = text_in(question, "area");
  const auto at = number_in(question, "at");
  const auto size = number_in(question, "size");
  if (area == nullptr || !at || !size || *at < 0 || *size < 1) return error("bad-question");
  SimulatedChip* there = chip(*area);
  if (there == nullptr) return error("range");
  const std::uint64_t unit = there->erase_page > 0 ? there->erase_page : there->page;
  const auto from = static_cast<std::uint64_t>(*at);
  const auto count = static_cast<std::uint64_t>(*size);
  if (from % unit != 0 || count % unit != 0 || from > there->bytes.size() ||
      count > there->bytes.size() - from)
    return error("range");
  const auto begin = there->bytes.begin() + static_cast<std::ptrdiff_t>(from);
  std::fill_n(begin, count, std::byte{0xFF});
  buffered_.reset();
  tell_change();
  return {{"erased", number(count)}};
}

}  // namespace bayswap::demo
