// Mutates a target's seeds and feeds them to its reader: no crash, no hang, no runaway memory. Deterministic,
// so that a failure can be repeated. Usage: fuzz_NAME [inputs] [seed]. Built with clang and -fsanitize=fuzzer
// the same target runs under libFuzzer instead (BARELATTICE_LIBFUZZER).

#include <sys/resource.h>
#include <unistd.h>

#include <algorithm>
#include <csignal>
#include <cstdio>
#include <cstdlib>
#include <fstream>
#include <random>

#include "barelattice/base/error.hpp"
#include "target.hpp"

namespace {

void feed(const std::string& input) {
  try {
    read(input);
  } catch (const barelattice::InputError&) {
  }
}

}  // namespace

#ifdef BARELATTICE_LIBFUZZER

extern "C" int LLVMFuzzerTestOneInput(const unsigned char* data, std::size_t size) {
  feed(std::string(reinterpret_cast<const char*>(data), size));
  return 0;
}

#else

namespace {

std::string current;  // written to a file when something goes wrong

void keepInput(const char* why) {
  std::ofstream("fuzz-failure.bin", std::ios::binary) << current;
  std::fprintf(stderr, "%s; the input is in fuzz-failure.bin\n", why);
}

void onSignal(int signal) {
  keepInput(signal == SIGALRM ? "an input took more than ten seconds" : "an input crashed the reader");
  std::_Exit(1);
}

class Mutator {
 public:
  explicit Mutator(unsigned seed) : random_(seed), seeds_(seeds()), words_(words()) {}

  std::string next() {
    std::string text = seeds_[below(seeds_.size())];
    for (std::size_t steps = 1 + below(6); steps > 0; --steps) mutate(text);
    return text;
  }

 private:
  std::size_t below(std::size_t n) { return n == 0 ? 0 : random_() % n; }

  void mutate(std::string& text) {
    const std::size_t at = below(text.size() + 1);
    const std::size_t length = std::min(below(40) + 1, text.size() - at);
    switch (below(8)) {
      case 0:
        if (at < text.size()) text[at] = static_cast<char>(below(256));
        break;
      case 1:
        if (at < text.size()) text[at] = static_cast<char>(text[at] ^ (1 << below(8)));
        break;
      case 2:
        text.erase(at, length);
        break;
      case 3:
        text.insert(at, text.substr(at, length));
        break;
      case 4:
        text.resize(at);
        break;
      case 5:
        text.insert(at, words_[below(words_.size())]);
        break;
      case 6: {  // a number becomes another one
        const std::size_t digit = text.find_first_of("0123456789", at);
        const char* const numbers[] = {"0",   "-1",    "1e308", "4294967295", "99999999999999999999",
                                       "nan", "1e-300"};
        if (digit != std::string::npos) text.replace(digit, 1, numbers[below(7)]);
        break;
      }
      default: {
        const std::string& other = seeds_[below(seeds_.size())];
        text.insert(at, other.substr(below(other.size() + 1), below(80)));
      }
    }
  }

  std::mt19937 random_;
  std::vector<std::string> seeds_;
  std::vector<std::string> words_;
};

}  // namespace

int main(int argc, char** argv) {
  const long inputs = argc > 1 ? std::atol(argv[1]) : 10000;
  const unsigned seed = argc > 2 ? static_cast<unsigned>(std::atol(argv[2])) : 1;
#if !defined(__SANITIZE_ADDRESS__) && !defined(__SANITIZE_THREAD__)
  const rlimit memory{2UL << 30, 2UL << 30};  // runaway memory ends in bad_alloc, which is a failure
  setrlimit(RLIMIT_AS, &memory);
#endif
  for (const int signal : {SIGALRM, SIGSEGV, SIGABRT, SIGFPE}) std::signal(signal, onSignal);
  Mutator mutator(seed);
  for (long i = 0; i < inputs; ++i) {
    current = mutator.next();
    alarm(10);
    try {
      feed(current);
    } catch (const std::exception& error) {
      keepInput(error.what());
      return 1;
    }
  }
  std::printf("%ld inputs, seed %u: no crash, no hang, no runaway memory\n", inputs, seed);
  return 0;
}

#endif
