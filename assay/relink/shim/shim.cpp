/// Stands in for the linker and the compiler proper, which compilers look for in COMPILER_PATH. As a linker
/// (ld, ld.bfd, ld.gold, ld.lld) it runs the real one with the same arguments, passes on how that ended, and,
/// where ASSAY_LINKS names a folder, keeps what it takes to do the link again. As a compiler proper (cc1,
/// cc1plus, lto1, …) it becomes the real one; where ASSAY_SECTIONS is set it is also asked to put each
/// function into a section of its own.

#include <spawn.h>
#include <sys/wait.h>
#include <unistd.h>

#include <cerrno>
#include <csignal>
#include <cstdio>
#include <cstdlib>
#include <cstring>

#include "assay/relink/shim/link_record.hpp"
#include "assay/relink/shim/real_tools.hpp"

namespace {

using assay::shim::Words;

std::vector<char*> pointers(Words& words) {
  std::vector<char*> all;
  for (auto& word : words) all.push_back(word.data());
  all.push_back(nullptr);
  return all;
}

int can_not(const std::string& name, const char* why) {
  fprintf(stderr, "assay: %s can't be run: %s\n", name.c_str(), why);
  return 127;
}

int become(const std::string& program, const std::string& name, Words words) {
  if (program.empty()) return can_not(name, "the real one is not found");
  words.insert(words.begin(), program);
  execv(program.c_str(), pointers(words).data());
  return can_not(program, strerror(errno));
}

int link_and_record(const std::string& linker, const std::string& name, const Words& given,
                    const std::string& folder) {
  if (linker.empty()) return can_not(name, "the real one is not found");
  Words words = given;
  words.insert(words.begin(), linker);
  pid_t child = 0;
  if (const int error =
          posix_spawn(&child, linker.c_str(), nullptr, nullptr, pointers(words).data(), environ);
      error != 0)
    return can_not(linker, strerror(error));
  int status = 0;
  while (waitpid(child, &status, 0) < 0)
    if (errno != EINTR) return can_not(linker, strerror(errno));
  if (WIFSIGNALED(status)) {
    signal(WTERMSIG(status), SIG_DFL);
    raise(WTERMSIG(status));
    return 128 + WTERMSIG(status);
  }
  if (WEXITSTATUS(status) == 0) assay::shim::record(folder, linker, given);
  return WEXITSTATUS(status);
}

}  // namespace

int main(int count, char** arguments) {
  std::string name = count > 0 ? arguments[0] : "";
  name = name.substr(name.rfind('/') + 1);
  const Words words(arguments + (count > 0 ? 1 : 0), arguments + count);
  if (name == "ld" || name.rfind("ld.", 0) == 0) {
    const auto linker = assay::shim::real_linker(name);
    const char* folder = getenv("ASSAY_LINKS");
    if (!assay::shim::pass_on()) return can_not(name, "too many stand-ins pass it on to each other");
    return folder == nullptr ? become(linker, name, words) : link_and_record(linker, name, words, folder);
  }
  auto compile = words;
  if (getenv("ASSAY_SECTIONS") != nullptr) compile.emplace_back("-ffunction-sections");
  const auto compiler = assay::shim::real_compiler(name);
  if (!assay::shim::pass_on()) return can_not(name, "too many stand-ins pass it on to each other");
  return become(compiler, name, compile);
}
