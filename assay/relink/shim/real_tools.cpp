#include "assay/relink/shim/real_tools.hpp"

#include <fcntl.h>
#include <sys/stat.h>
#include <sys/wait.h>
#include <unistd.h>

#include <climits>
#include <cstdlib>

namespace assay::shim {

namespace {

std::string folder_of(const std::string& path) {
  const auto slash = path.rfind('/');
  return slash == std::string::npos ? "." : slash == 0 ? "/" : path.substr(0, slash);
}

std::string variable(const char* name) {
  const char* value = getenv(name);
  return value == nullptr ? "" : value;
}

bool is_program(const std::string& path) {
  struct stat what;
  return stat(path.c_str(), &what) == 0 && S_ISREG(what.st_mode) && access(path.c_str(), X_OK) == 0;
}

bool is_same_folder(const std::string& a, const std::string& b) {
  struct stat one, other;
  return stat(a.c_str(), &one) == 0 && stat(b.c_str(), &other) == 0 && one.st_dev == other.st_dev &&
         one.st_ino == other.st_ino;
}

/// The folders of the stand-ins that have passed this call on: a build within a build has several, and each would
/// take the others for the real tool.
const std::string stand_ins = "ASSAY_STAND_INS";

bool is_stand_in(const std::string& folder) {
  const auto others = variable(stand_ins.c_str());
  for (std::size_t at = 0; at < others.size();) {
    auto end = others.find(':', at);
    if (end == std::string::npos) end = others.size();
    if (is_same_folder(folder, others.substr(at, end - at))) return true;
    at = end + 1;
  }
  return is_same_folder(folder, own_folder());
}

std::string found_in(const std::string& folders, const std::string& name) {
  for (std::size_t at = 0; at <= folders.size();) {
    auto end = folders.find(':', at);
    if (end == std::string::npos) end = folders.size();
    const auto folder = end == at ? std::string(".") : folders.substr(at, end - at);
    at = end + 1;
    auto path = folder + "/" + name;
    if (is_program(path) && !is_stand_in(folder)) return path;
  }
  return {};
}

/// What GCC says of where a program of its own lies, asked without this one in its way.
std::string asked(const std::string& gcc, const std::string& name) {
  int ends[2];
  if (gcc.empty() || pipe(ends) != 0) return {};
  const pid_t child = fork();
  if (child == 0) {
    unsetenv("COMPILER_PATH");
    dup2(ends[1], STDOUT_FILENO);
    close(ends[0]);
    close(ends[1]);
    const auto question = "-print-prog-name=" + name;
    execlp(gcc.c_str(), gcc.c_str(), question.c_str(), static_cast<char*>(nullptr));
    _exit(127);
  }
  close(ends[1]);
  std::string answer;
  char piece[PATH_MAX];
  for (ssize_t count = 0; (count = read(ends[0], piece, sizeof piece)) > 0;)
    answer.append(piece, static_cast<std::size_t>(count));
  close(ends[0]);
  while (child > 0 && waitpid(child, nullptr, 0) < 0) continue;
  while (!answer.empty() && answer.back() == '\n') answer.pop_back();
  return is_program(answer) ? answer : std::string();
}

}  // namespace

std::string own_folder() {
  char path[PATH_MAX];
  const ssize_t length = readlink("/proc/self/exe", path, sizeof path);
  return length <= 0 ? "." : folder_of(std::string(path, static_cast<std::size_t>(length)));
}

bool pass_on() {
  constexpr std::size_t most = 4096;
  auto list = variable(stand_ins.c_str());
  list += (list.empty() ? "" : ":") + own_folder();
  return list.size() <= most && setenv(stand_ins.c_str(), list.c_str(), 1) == 0;
}

std::string real_linker(const std::string& name) {
  const auto given = variable("COMPILER_PATH");
  const auto first = given.empty() ? given : found_in(given, name);
  return first.empty() ? found_in(variable("PATH"), name) : first;
}

std::string real_compiler(const std::string& name) {
  if (const auto wrapper = variable("COLLECT_LTO_WRAPPER"); !wrapper.empty())
    if (auto beside = folder_of(wrapper) + "/" + name; is_program(beside)) return beside;
  return asked(variable("COLLECT_GCC"), name);
}

namespace {

constexpr int deepest = 16;  // files that name themselves

bool is_space(char c) { return c == ' ' || (c >= '\t' && c <= '\r'); }

Words split(const std::string& text) {
  Words words;
  for (std::size_t at = 0; at < text.size();) {
    if (is_space(text[at])) {
      ++at;
      continue;
    }
    std::string word;
    char quote = 0;
    for (; at < text.size() && (quote != 0 || !is_space(text[at])); ++at) {
      const char c = text[at];
      if (c == '\\' && at + 1 < text.size())
        word += text[++at];
      else if (quote != 0 ? c == quote : c == '\'' || c == '"')
        quote = quote != 0 ? '\0' : c;
      else
        word += c;
    }
    words.push_back(word);
  }
  return words;
}

void expand_into(const Words& arguments, int depth, Words& all) {
  for (const auto& word : arguments) {
    std::string text;
    if (word.size() > 1 && word[0] == '@' && depth < deepest && read_whole(word.substr(1), text))
      expand_into(split(text), depth + 1, all);
    else
      all.push_back(word);
  }
}

}  // namespace

bool read_whole(const std::string& path, std::string& into) {
  const int file = open(path.c_str(), O_RDONLY | O_CLOEXEC);
  if (file < 0) return false;
  char piece[1 << 14];
  ssize_t count = 0;
  while ((count = read(file, piece, sizeof piece)) > 0) into.append(piece, static_cast<std::size_t>(count));
  close(file);
  return count == 0;
}

Words expanded(const Words& arguments) {
  Words all;
  expand_into(arguments, 0, all);
  return all;
}

}  // namespace assay::shim
