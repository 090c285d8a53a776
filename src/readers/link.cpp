#include "readers/link.h"

#include <fmt/core.h>

#include <algorithm>
#include <array>
#include <utility>

#include "core/bytes/text.h"

namespace bayswap {
namespace {

constexpr Milliseconds kFirstAnswer{1000};
constexpr Milliseconds kFirstHello{3000};  // readers may just be starting
constexpr Milliseconds kNoProgress{30'000};
constexpr Milliseconds kSilence{3000};  // before a person hears of it
constexpr Milliseconds kLook{200};      // between looks at whether to go on
constexpr std::size_t kRoom = 65'536;

}  // namespace

// One question that is being asked.
class Link::Waiting {
 public:
  Waiting(Link& link, std::uint16_t number, Milliseconds patience)
      : link_(link), number_(number), patience_(patience) {
    heard_ = progress_ = link_.transport_->now();
  }

  /// `is_sent`: once already.
  Result<Answer> run(const Bytes& frame, bool is_sent) {
    while (sends_ < link_.most_sends_) {
      if (is_sent)
        is_sent = false;
      else if (auto sent = link_.transport_->send(frame); !sent)
        return tl::unexpected(sent.error());
      ++sends_;
      until_ = link_.transport_->now() + patience_;
      while (link_.transport_->now() < until_) {
        auto answer = listen();
        if (!answer) return tl::unexpected(answer.error());
        if (*answer) return std::move(**answer);
      }
    }
    return tl::unexpected(link_.lost("it does not answer"));
  }

 private:
  Result<std::optional<Answer>> listen() {
    if (link_.watch_.go_on && !link_.watch_.go_on())
      return fail(Trouble::stopped, Code::cancelled, "stopped");
    const Milliseconds left = until_ - link_.transport_->now();
    const auto got = link_.transport_->receive(link_.room_, std::min(left, kLook));
    if (!got) return tl::unexpected(got.error());
    const Milliseconds now = link_.transport_->now();
    link_.frames_.push(ByteView(link_.room_).first(*got));
    while (const auto payload = link_.frames_.next()) {
      auto message = decoded(*payload);
      if (!message || number_in(*message, "for") != number_) continue;
      heard_ = now;
      told_ = false;
      if (const auto busy = number_in(*message, "busy"); busy && *busy >= -1 && *busy <= 100) {
        until_ = now + patience_;
        sends_ = 1;
        if (*busy > busy_) progress_ = now;
        busy_ = std::max(busy_, *busy);
      } else if (!has_key(*message, "busy")) {
        return answer_in(std::move(*message));
      }
    }
    if (busy_ >= -1 && now - progress_ >= kNoProgress)
      return tl::unexpected(link_.lost("it has been busy for 30 s with nothing done"));
    if (!told_ && now - heard_ >= kSilence) {
      told_ = true;
      if (link_.watch_.silent) link_.watch_.silent(now - heard_);
    }
    return std::optional<Answer>{};
  }

  static std::optional<Answer> answer_in(CborMap message) {
    Answer answer;
    if (has_key(message, "error")) {
      const std::string* code = text_in(message, "error");
      const std::string* text = text_in(message, "text");
      answer.error =
          code == nullptr || code->empty() ? "broken" : code->substr(0, kLongestReaderText);
      if (text != nullptr) answer.text = text->substr(0, kLongestReaderText);
    }
    answer.fields = std::move(message);
    return answer;
  }

  Link& link_;
  std::uint16_t number_;
  Milliseconds patience_;
  unsigned sends_ = 0;
  Milliseconds until_{0};     // of this wait
  Milliseconds heard_{0};     // when something came for this question
  Milliseconds progress_{0};  // when `busy` grew
  std::int64_t busy_ = -2;    // the most that was said
  bool told_ = false;         // of this silence
};

Link::Link(std::unique_ptr<Transport> transport, std::uint16_t first, LinkWatch watch)
    : transport_(std::move(transport)),
      number_(first == 0 ? std::uint16_t{1} : first),
      watch_(std::move(watch)),
      room_(kRoom) {}

Result<Answer> Link::ask(const std::string& what, CborMap with) {
  if (auto discarded = discard_waiting(); !discarded) return tl::unexpected(discarded.error());
  const auto ahead = std::exchange(ahead_, std::nullopt);
  Question question = next_question(what, std::move(with));
  const bool is_sent = ahead && ahead->words == question.words;
  if (is_sent) {
    number_ = question.number;  // it is not used
    question = *ahead;
  }
  return Waiting(*this, question.number, what == "hello" ? kFirstHello : kFirstAnswer)
      .run(question.frame, is_sent);
}

void Link::ask_ahead(const std::string& what, CborMap with) {
  Question question = next_question(what, std::move(with));
  // Where it can't be sent, ask() sends it and says why not.
  if (transport_->send(question.frame)) ahead_ = std::move(question);
}

Link::Question Link::next_question(const std::string& what, CborMap with) {
  Question question;
  question.number = number_;
  number_ = number_ == 0xFFFF ? std::uint16_t{1} : static_cast<std::uint16_t>(number_ + 1);
  with.emplace_back("do", CborValue{what});
  question.words = encoded(with);
  with.emplace_back("ask", CborValue{std::int64_t{question.number}});
  question.frame = framed(encoded(with));
  return question;
}

// Answers to somebody else's questions may wait in the stream.
Result<void> Link::discard_waiting() {
  constexpr int kMost = 1024;
  if (!fresh_) return {};
  for (int i = 0; i < kMost; ++i) {
    const auto got = transport_->receive(room_, Milliseconds{0});
    if (!got) return tl::unexpected(got.error());
    if (*got == 0) break;
  }
  fresh_ = false;
  return {};
}

Error Link::lost(const std::string& why) const {
  return {Trouble::place, Code::link_lost,
          fmt::format("{}: {}", safe_text(transport_->name()), why),
          "check the plug and the cable, and whether this is the reader's port"};
}

}  // namespace bayswap
