#include "support/tool.hpp"

#include <fcntl.h>
#include <gtest/gtest.h>
#include <sys/wait.h>
#include <unistd.h>

#include <atomic>
#include <cerrno>
#include <csignal>
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

Started::Started(const Scratch& scratch, const std::vector<std::string>& command) {
  static std::atomic<int> count = 0;
  const auto number = std::to_string(++count);
  out_ = scratch.path("out." + number);
  err_ = scratch.path("err." + number);
  std::vector<char*> arguments;
  for (const auto& word : command) arguments.push_back(const_cast<char*>(word.c_str()));
  arguments.push_back(nullptr);
  const auto home = scratch.path(), state = scratch.path("state");
  pid_ = fork();
  if (pid_ != 0) return;
  setenv("HOME", home.c_str(), 1);
  setenv("XDG_STATE_HOME", state.c_str(), 1);
  unsetenv("ASSAY_LEDGER");
  unsetenv("ASSAY_CACHE");
  setenv("ASSAY_WHEN_BUSY", "go-on", 0);  // tests run side by side
  const int in = open("/dev/null", O_RDONLY);
  const int out = open(out_.c_str(), O_WRONLY | O_CREAT | O_TRUNC, 0644),
            err = open(err_.c_str(), O_WRONLY | O_CREAT | O_TRUNC, 0644);
  dup2(in, 0);
  dup2(out, 1);
  dup2(err, 2);
  if (chdir(home.c_str()) == 0) execv(arguments[0], arguments.data());
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
