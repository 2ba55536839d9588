#include "support/tool.hpp"

#include <fcntl.h>
#include <gtest/gtest.h>
#include <sys/wait.h>
#include <unistd.h>

#include <algorithm>
#include <array>
#include <atomic>
#include <cerrno>
#include <csignal>
#include <cstdlib>
#include <fstream>
#include <iterator>

namespace assay::test {
namespace fs = std::filesystem;

Scratch::Scratch() {
  std::string name = (fs::temp_directory_path() / "assay-test-XXXXXX").string();
  if (mkdtemp(name.data()) == nullptr) ADD_FAILURE() << "no scratch folder";
  folder_ = name;
}

Scratch::~Scratch() {
  std::error_code ignored;
  fs::remove_all(folder_, ignored);
}

std::string Scratch::path(const std::string& name) const {
  return name.empty() ? folder_.string() : (folder_ / name).string();
}

std::string Scratch::file(const std::string& name, const std::string& content) const {
  fs::create_directories((folder_ / name).parent_path());
  std::ofstream(folder_ / name, std::ios::binary) << content;
  return path(name);
}

std::string read_file(const std::string& path) {
  std::ifstream file(path, std::ios::binary);
  return {std::istreambuf_iterator<char>(file), {}};
}

bool is_alive(pid_t pid) { return kill(pid, 0) == 0; }

std::vector<pid_t> pids_in(const std::string& file) {
  std::ifstream in(file);
  return {std::istream_iterator<pid_t>(in), {}};
}

namespace {

/// This process's variables, but with a home in the scratch, and without those that name a ledger or a cache.
std::vector<std::string> variables_of(const Scratch& scratch) {
  std::vector<std::string> variables = {"HOME=" + scratch.path(), "XDG_STATE_HOME=" + scratch.path("state")};
  if (getenv("ASSAY_WHEN_BUSY") == nullptr)
    variables.emplace_back("ASSAY_WHEN_BUSY=go-on");  // tests run side by side
  for (char** at = environ; *at != nullptr; ++at) {
    const std::string variable = *at;
    const bool left_out =
        std::ranges::any_of(std::array{"HOME=", "XDG_STATE_HOME=", "ASSAY_LEDGER=", "ASSAY_CACHE="},
                            [&](const char* name) { return variable.starts_with(name); });
    if (!left_out) variables.push_back(variable);
  }
  return variables;
}

}  // namespace

Started::Started(const Scratch& scratch, const std::vector<std::string>& command) {
  static std::atomic<int> count = 0;
  const auto number = std::to_string(++count);
  out_ = scratch.path("out." + number);
  err_ = scratch.path("err." + number);
  const auto pointers_to = [](const std::vector<std::string>& texts) {
    std::vector<char*> pointers;
    for (const auto& text : texts) pointers.push_back(const_cast<char*>(text.c_str()));
    pointers.push_back(nullptr);
    return pointers;
  };
  const auto variables = variables_of(scratch);
  const auto arguments = pointers_to(command), environment = pointers_to(variables);
  const auto home = scratch.path();
  pid_ = fork();
  if (pid_ != 0) return;
  // Nothing here may allocate: another thread may have held the allocator's lock.
  const int in = open("/dev/null", O_RDONLY);
  const int out = open(out_.c_str(), O_WRONLY | O_CREAT | O_TRUNC, 0644),
            err = open(err_.c_str(), O_WRONLY | O_CREAT | O_TRUNC, 0644);
  dup2(in, 0);
  dup2(out, 1);
  dup2(err, 2);
  if (chdir(home.c_str()) == 0) execve(arguments[0], arguments.data(), environment.data());
  _exit(126);
}

Ran Started::wait() {
  int status = 0;
  while (waitpid(pid_, &status, 0) < 0 && errno == EINTR) {
  }
  return {WIFEXITED(status) ? WEXITSTATUS(status) : -WTERMSIG(status), read_file(out_), read_file(err_)};
}

std::string Started::err_so_far() const { return read_file(err_); }

Ran run(const Scratch& scratch, const std::vector<std::string>& command) {
  return Started(scratch, command).wait();
}

Ran assay(const Scratch& scratch, std::vector<std::string> arguments) {
  arguments.insert(arguments.begin(), ASSAY_TOOL);
  return run(scratch, arguments);
}

}  // namespace assay::test
