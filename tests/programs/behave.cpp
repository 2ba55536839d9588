// A program that behaves as told, for tests of how programs are run. Each word of the command line is a step.

#include <fcntl.h>
#include <sched.h>
#include <sys/mman.h>
#include <sys/resource.h>
#include <sys/wait.h>
#include <unistd.h>

#include <csignal>
#include <cstdio>
#include <cstdlib>
#include <cstring>
#include <ctime>
#include <filesystem>
#include <fstream>
#include <string>
#include <thread>
#include <vector>

namespace {

double cpu_seconds() { return static_cast<double>(std::clock()) / CLOCKS_PER_SEC; }

/// How often this program gave its core up to wait.
long switches() {
  rusage usage{};
  getrusage(RUSAGE_SELF, &usage);
  return usage.ru_nvcsw;
}

void note_pid(const char* file) { std::ofstream(file, std::ios::app) << getpid() << std::endl; }

void sleep_long() {
  for (int i = 0; i < 600; ++i) usleep(100'000);
}

void spin(double seconds) {
  volatile unsigned long sum = 0;
  while (cpu_seconds() < seconds)
    for (unsigned i = 0; i < 10000; ++i) sum = sum + i;
}

void touch(std::size_t mebibytes) {
  std::vector<char> memory(mebibytes << 20U);
  for (std::size_t i = 0; i < memory.size(); i += 4096) memory[i] = static_cast<char>(i);
  volatile char last = memory.back();
  static_cast<void>(last);
}

void write_bytes(std::size_t count) {
  const std::vector<char> block(1 << 16, 'x');
  while (count > 0) {
    const auto put = write(1, block.data(), count < block.size() ? count : block.size());
    if (put <= 0) std::exit(9);
    count -= static_cast<std::size_t>(put);
  }
}

void read_file(const char* path) {
  std::vector<char> block(1 << 16);
  const int file = open(path, O_RDONLY);
  while (read(file, block.data(), block.size()) > 0) {
  }
  close(file);
}

/// Pages of a fresh mapping, each touched once.
void fault(std::size_t pages) {
  auto* memory = static_cast<char*>(
      mmap(nullptr, pages * 4096, PROT_READ | PROT_WRITE, MAP_PRIVATE | MAP_ANONYMOUS, -1, 0));
  madvise(memory, pages * 4096, MADV_NOHUGEPAGE);
  for (std::size_t i = 0; i < pages; ++i) memory[i * 4096] = 1;
}

void spin_in_two_threads(double seconds) {
  std::thread other(spin, 2 * seconds);  // clock() counts both
  spin(2 * seconds);
  other.join();
}

/// A child that nobody waits for: its parent ignores SIGCHLD, so that its usage is lost.
void spin_unwaited(double seconds) {
  std::signal(SIGCHLD, SIG_IGN);
  if (fork() == 0) {
    spin(seconds);
    _exit(0);
  }
  wait(nullptr);  // until it is gone
}

/// Children that hold memory at the same time.
void tree(int children, std::size_t mebibytes) {
  for (int i = 0; i < children; ++i)
    if (fork() == 0) {
      touch(mebibytes);
      _exit(0);
    }
  while (wait(nullptr) > 0) {
  }
}

/// Takes memory piece by piece until there is no more.
void devour() {
  for (std::vector<void*> held;; held.push_back(std::malloc(1 << 20U))) {
    if (!held.empty() && held.back() == nullptr) {
      std::fprintf(stderr, "no memory left\n");
      std::exit(3);
    }
    if (!held.empty()) std::memset(held.back(), 1, 1 << 20U);
  }
}

/// A grandchild in a session of its own, that outlives its parents and does not heed TERM.
void daemonise(const char* pid_file) {
  if (const pid_t child = fork(); child > 0) {
    waitpid(child, nullptr, 0);
    return;
  }
  setsid();
  if (fork() > 0) _exit(0);
  std::signal(SIGTERM, SIG_IGN);
  note_pid(pid_file);
  sleep_long();
  _exit(0);
}

void leave_child(const char* pid_file) {
  if (fork() != 0) return;
  std::signal(SIGTERM, SIG_IGN);
  note_pid(pid_file);
  sleep_long();
  _exit(0);
}

/// A child that burns CPU time and is left for whoever adopts it.
void orphan_spin(double seconds) {
  if (fork() == 0) {
    if (fork() == 0) {
      spin(seconds);
      _exit(0);
    }
    _exit(0);
  }
  wait(nullptr);
  usleep(static_cast<useconds_t>(seconds * 4e6));  // until the orphan has ended, or nearly so
}

}  // namespace

int main(int argc, char** argv) {
  for (int i = 1; i < argc; ++i) {
    const std::string step = argv[i];
    const auto next = [&] { return i + 1 < argc ? argv[++i] : ""; };
    if (step == "say") std::printf("%s\n", next());
    if (step == "flush") std::fflush(stdout);
    if (step == "complain") std::fprintf(stderr, "%s\n", next());
    if (step == "exit") return std::atoi(next());
    if (step == "signal") raise(std::atoi(next()));
    if (step == "spin") spin(std::atof(next()));
    if (step == "touch") touch(std::strtoul(next(), nullptr, 10));
    if (step == "write") write_bytes(std::strtoul(next(), nullptr, 10));
    if (step == "read") read_file(next());
    if (step == "fault") fault(std::strtoul(next(), nullptr, 10));
    if (step == "spin-two") spin_in_two_threads(std::atof(next()));
    if (step == "spin-unwaited") spin_unwaited(std::atof(next()));
    if (step == "switch")  // to sleep until it gave its core up N times: a sleep begun too late does not
      for (const long enough = switches() + std::atoi(next()); switches() < enough;) usleep(100);
    if (step == "tree") {
      const int children = std::atoi(next());
      tree(children, std::strtoul(next(), nullptr, 10));
    }
    if (step == "devour") devour();
    if (step == "make") {  // FILE TEXT
      const std::string file = next();
      std::ofstream(file) << next() << "\n";
    }
    if (step == "remove-here") {
      char folder[4096];
      if (getcwd(folder, sizeof folder) != nullptr) std::filesystem::remove_all(folder);
    }
    if (step == "nice") std::printf("%d\n", getpriority(PRIO_PROCESS, 0));
    if (step == "cores") {
      cpu_set_t set;
      sched_getaffinity(0, sizeof set, &set);
      std::printf("%d\n", CPU_COUNT(&set));
    }
    if (step == "env") std::printf("%s\n", std::getenv(next()) != nullptr ? std::getenv(argv[i]) : "unset");
    if (step == "variables") {
      int count = 0;
      for (char** variable = environ; *variable != nullptr; ++variable) ++count;
      std::printf("%d\n", count);
    }
    if (step == "sleep") usleep(static_cast<useconds_t>(std::atof(next()) * 1e6));
    if (step == "pid") note_pid(next());
    if (step == "ignore-term") std::signal(SIGTERM, SIG_IGN);
    if (step == "stop") raise(SIGSTOP);
    if (step == "daemonise") daemonise(next());
    if (step == "leave-child") leave_child(next());
    if (step == "orphan-spin") orphan_spin(std::atof(next()));
    if (step == "close-all") close_range(0, ~0U, 0);
    if (step == "reopen-stdout") std::ofstream("/dev/stdout", std::ios::app) << next() << std::endl;
    if (step == "cat")
      for (int c = 0; (c = std::getchar()) != EOF;) std::putchar(c);
    if (step == "pwd") {
      char folder[4096];
      if (getcwd(folder, sizeof folder) != nullptr) std::printf("%s\n", folder);
    }
    if (step == "descriptors") {
      int open = 0;
      for (int fd = 0; fd < 1024; ++fd) open += fcntl(fd, F_GETFD) >= 0 ? 1 : 0;
      std::printf("%d\n", open);
    }
    if (step == "tty") std::printf("%s\n", open("/dev/tty", O_RDWR) >= 0 ? "has a terminal" : "no terminal");
    if (step == "await") {  // FILE N: until N processes have noted their pids there
      const std::string file = next();
      const int wanted = std::atoi(next());
      for (int tries = 0; tries < 12000; ++tries) {
        std::ifstream noted(file);
        int seen = 0;
        for (std::string line; std::getline(noted, line);) ++seen;
        if (seen >= wanted) break;
        usleep(5000);
      }
    }
    if (step == "fail-from") {  // FILE N: counts its runs in FILE, and fails from the N-th on
      const std::string file = next();
      const int from = std::atoi(next());
      std::ofstream(file, std::ios::app) << "x";
      if (std::ifstream(file, std::ios::ate).tellg() >= from) {
        std::fprintf(stderr, "worn out\n");
        return 5;
      }
    }
    if (step == "count-runs") {  // FILE: says how often it was run
      const std::string file = next();
      std::ofstream(file, std::ios::app) << "x";
      std::printf("run %ld\n", static_cast<long>(std::ifstream(file, std::ios::ate).tellg()));
    }
    std::fflush(stdout);
  }
  return 0;
}
