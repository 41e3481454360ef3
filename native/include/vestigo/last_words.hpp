// vestigo/last_words.hpp: what the process says if a file that it has mapped into memory was cut.
//
// A page of the file that is gone can be neither read nor replaced. The system sends SIGBUS, and
// the process must end.
#pragma once

#include <signal.h>
#include <unistd.h>

#include <array>
#include <atomic>
#include <cstdint>
#include <string_view>

namespace vestigo {

struct Mapped {
  std::uintptr_t begin = 0, end = 0;
  std::size_t length = 0;
  char words[512] = {};
};

class LastWords {
 public:
  // Sets what is said if the memory belongs to this file, once a program has asked for it
  // (`end_with`).
  static void of_memory(std::uintptr_t begin, std::size_t size, std::string_view sentence) {
    Mapped& place = mapped_[count_.fetch_add(1) % mapped_.size()];
    place = {};
    place.length = sentence.copy(place.words, sizeof place.words);
    place.begin = begin;
    place.end = begin + size;
  }

  // From now on, the process says so and ends with this status, in place of the signal. It is for
  // programs: a library owns no signal. If someone else handles the signal, nothing is said.
  static void end_with(int status) {
    struct sigaction present = {};
    ::sigaction(SIGBUS, nullptr, &present);
    status_ = status;
    if (present.sa_handler == SIG_DFL) listen();
  }

 private:
  static void listen() {
    struct sigaction action = {};
    action.sa_sigaction = answer;
    action.sa_flags = SA_SIGINFO;
    ::sigaction(SIGBUS, &action, nullptr);
  }

  static void answer(int, siginfo_t* info, void*) {
    const auto at = reinterpret_cast<std::uintptr_t>(info->si_addr);
    for (std::size_t latest = count_; latest > 0 && count_ - latest < mapped_.size(); --latest) {
      const Mapped& place = mapped_[(latest - 1) % mapped_.size()];
      if (at < place.begin || at >= place.end) continue;
      [[maybe_unused]] const auto written = ::write(STDERR_FILENO, place.words, place.length);
      ::_exit(status_);
    }
    ::signal(SIGBUS, SIG_DFL);  // the read is tried again, and ends the process
  }

  static inline std::array<Mapped, 64> mapped_{};  // the latest one counts: memory that was given
                                                   // back may belong to another file now
  static inline std::atomic<std::size_t> count_ = 0;
  static inline int status_ = 1;
};

}  // namespace vestigo
