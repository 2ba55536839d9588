// A program whose functions take known shares of its time, for tests of sampling: `sampled A B [threads|children]` does
// A and B times 400 000 turns of a loop in `first_part` and `second_part`, by turns: 1 takes about half a millisecond.
// `sampled A B library` does it in the C library, called by `print_numbers` and `compare_texts`.

#include <sys/wait.h>
#include <unistd.h>

#include <cstdio>
#include <cstdlib>
#include <cstring>
#include <thread>

namespace {

volatile unsigned long sink;

}  // namespace

extern "C" {

[[gnu::noinline]] void first_part(unsigned long turns) {
  unsigned long x = sink;
  for (unsigned long i = 0; i < turns; ++i) x = x * 2862933555777941757UL + 3037000493UL;
  sink = x;
}

[[gnu::noinline]] void print_numbers(unsigned long times) {
  char text[64];
  for (unsigned long i = 0; i < times; ++i)
    sink = sink + std::snprintf(text, sizeof text, "lock %lu of %lu", i, times);
}

[[gnu::noinline]] void compare_texts(unsigned long times) {
  static char one[1UL << 20U], other[1UL << 20U];
  for (unsigned long i = 0; i < times; ++i) {
    one[i] = other[i] = 1;
    sink = sink + static_cast<unsigned long>(std::memcmp(one, other, sizeof one));
  }
}

[[gnu::noinline]] void second_part(unsigned long turns) {
  unsigned long x = sink;
  for (unsigned long i = 0; i < turns; ++i) x = x * 2862933555777941757UL + 1442695040UL;
  sink = x;
}
}

int main(int argc, char** argv) {
  if (argc < 3) return 2;
  constexpr unsigned long each = 400;
  const unsigned long first = each * std::strtoul(argv[1], nullptr, 10),
                      second = each * std::strtoul(argv[2], nullptr, 10);
  const auto work = [=] {
    for (int i = 0; i < 1000; ++i) {
      first_part(first);
      second_part(second);
    }
  };
  if (argc > 3 && std::strcmp(argv[3], "library") == 0) {
    constexpr unsigned long many = 1000;
    print_numbers(many * first);
    compare_texts(second);
    return 0;
  }
  const bool threads = argc > 3 && std::strcmp(argv[3], "threads") == 0,
             children = argc > 3 && std::strcmp(argv[3], "children") == 0;
  if (threads) {
    std::thread one(work), two(work);
    one.join();
    two.join();
  } else if (children) {
    for (int i = 0; i < 2; ++i)
      if (fork() == 0) {
        work();
        _exit(0);
      }
    while (wait(nullptr) > 0) {
    }
  } else {
    work();
  }
  return 0;
}
