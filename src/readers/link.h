// Questions to a reader and their answers, over a stream that may lose, double and damage bytes.
#pragma once

#include <functional>
#include <optional>
#include <string>

#include "readers/frames.h"
#include "readers/messages.h"
#include "readers/transport.h"

namespace bayswap {

/// What a person hears of while the link waits. Each may be empty.
struct LinkWatch {
  /// False: stop waiting; the question ends with `cancelled`.
  std::function<bool()> go_on;
  /// Nothing was heard for so long: told once for each silence of three seconds.
  std::function<void(Milliseconds)> silent;
};

/// The answer to one question.
struct Answer {
  CborMap fields;
  std::string error;  ///< the reader's code; empty: it did what was asked
  std::string text;   ///< what the reader says of it
};

/// One thread at a time. Owns its transport.
class Link {
 public:
  /// `first`: the number of the first question. What waits in the stream is thrown away.
  Link(std::unique_ptr<Transport> transport, std::uint16_t first, LinkWatch watch = {});

  /// Asks, repeats the question where no answer comes, and waits while the reader is busy. An
  /// answer with an error is not a failure of the link. Errors: `link-lost` (Trouble::place) after
  /// six sends without an answer, or 30 s without any progress; `cancelled`.
  [[nodiscard]] Result<Answer> ask(const std::string& what, CborMap with = {});

  /// Sends a question before its turn, so that the reader works on it meanwhile. Only after the
  /// answer to the one before has come. The next ask() of the same takes its answer; any other lets
  /// it go.
  void ask_ahead(const std::string& what, CborMap with);

  /// Fewer than the six sends of the link: for ports that may be no reader's.
  void send_at_most(unsigned times) { most_sends_ = times; }
  /// Nobody may stop it any more: what was begun is put back.
  void finish_without_asking() { watch_.go_on = {}; }

  [[nodiscard]] Transport& transport() { return *transport_; }

 private:
  class Waiting;
  struct Question {
    std::uint16_t number = 0;
    Bytes words;  // without the number
    Bytes frame;
  };
  Question next_question(const std::string& what, CborMap with);
  Result<void> discard_waiting();
  [[nodiscard]] Error lost(const std::string& why) const;

  std::unique_ptr<Transport> transport_;
  std::uint16_t number_;  // of the next question
  LinkWatch watch_;
  FrameReader frames_;
  Bytes room_;  // for what comes in one piece
  std::optional<Question> ahead_;
  bool fresh_ = true;
  unsigned most_sends_ = 6;
};

}  // namespace bayswap
