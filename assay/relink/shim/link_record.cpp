#include "assay/relink/shim/link_record.hpp"

#define XXH_INLINE_ALL

#include <fcntl.h>
#include <sys/sendfile.h>
#include <sys/stat.h>
#include <unistd.h>
#include <xxhash.h>

#include <cerrno>
#include <climits>
#include <cstdio>
#include <cstdlib>
#include <cstring>

namespace assay::shim {
namespace {

bool begins_with(const std::string& text, const char* with) { return text.rfind(with, 0) == 0; }

std::string absolute(const std::string& path) {
  if (begins_with(path, "/")) return path;
  char here[PATH_MAX];
  return getcwd(here, sizeof here) == nullptr ? path : std::string(here) + "/" + path;
}

bool is_file(const std::string& path) {
  struct stat what;
  return stat(path.c_str(), &what) == 0 && S_ISREG(what.st_mode);
}

/// Whether a path leads to the system's own files, which stay as they are.
bool is_of_system(const std::string& path) {
  char real[PATH_MAX];
  if (realpath(path.c_str(), real) == nullptr) return true;
  const std::string is = real;
  if (begins_with(is, "/usr/local/")) return false;
  for (const char* folder : {"/usr/", "/lib/", "/lib64/"})
    if (begins_with(is, folder)) return true;
  return false;
}

/// An archive that holds names of its members only, relative to itself: it has to stay where it is.
bool is_thin_archive(const std::string& path) {
  char start[8] = {};
  const int file = open(path.c_str(), O_RDONLY | O_CLOEXEC);
  const bool thin = file >= 0 && read(file, start, sizeof start) == 8 && memcmp(start, "!<thin>\n", 8) == 0;
  if (file >= 0) close(file);
  return thin;
}

bool copy(const std::string& from, const std::string& to) {
  const int in = open(from.c_str(), O_RDONLY | O_CLOEXEC);
  const int out = in < 0 ? -1 : open(to.c_str(), O_WRONLY | O_CREAT | O_EXCL | O_CLOEXEC, 0644);
  ssize_t count = -1;
  if (out >= 0)
    while ((count = sendfile(out, in, nullptr, 1 << 20)) > 0) continue;
  if (in >= 0) close(in);
  return out >= 0 && close(out) == 0 && count == 0;
}

/// The digest of a file as the library takes it (assay/measure/digest.hpp).
std::string digest_of(const std::string& path) {
  const int file = open(path.c_str(), O_RDONLY | O_CLOEXEC);
  if (file < 0) return {};
  XXH3_state_t* state = XXH3_createState();
  XXH3_128bits_reset(state);
  static char piece[1 << 16];
  for (ssize_t count = 0; (count = read(file, piece, sizeof piece)) > 0;)
    XXH3_128bits_update(state, piece, static_cast<std::size_t>(count));
  close(file);
  const auto value = XXH3_128bits_digest(state);
  XXH3_freeState(state);
  char digits[33];
  snprintf(digits, sizeof digits, "%016llx%016llx", static_cast<unsigned long long>(value.high64),
           static_cast<unsigned long long>(value.low64));
  return digits;
}

/// What a linker's options with a value of their own are called, as far as their values may be files.
bool takes_a_value(const std::string& word) {
  for (const char* option : {"-o",
                             "-plugin",
                             "-dynamic-linker",
                             "--dynamic-linker",
                             "-I",
                             "-rpath",
                             "--rpath",
                             "-rpath-link",
                             "-soname",
                             "-h",
                             "-Map",
                             "--Map",
                             "-T",
                             "--script",
                             "-e",
                             "--entry",
                             "-z",
                             "-m",
                             "-u",
                             "-L",
                             "-y",
                             "-init",
                             "-fini",
                             "--output"})
    if (word == option) return true;
  return false;
}

std::string output_of(const Words& arguments) {
  std::string output = "a.out";
  for (std::size_t i = 0; i < arguments.size(); ++i) {
    const auto& word = arguments[i];
    if ((word == "-o" || word == "--output") && i + 1 < arguments.size())
      output = arguments[i + 1];
    else if (begins_with(word, "--output="))
      output = word.substr(strlen("--output="));
    else if (begins_with(word, "-o") && word.size() > 2)
      output = word.substr(2);
  }
  return output;
}

bool makes_no_program(const Words& arguments) {
  for (const auto& word : arguments)
    for (const char* option : {"-r", "-i", "-Ur", "--relocatable", "-v", "-V", "--version", "--verbose",
                               "--help", "--print-map-only"})
      if (word == option) return true;
  return false;
}

class Text {
 public:
  void add(const char* kind, const std::string& value) {
    all_ += kind;
    all_ += '\0';
    all_ += value;
    all_ += '\0';
  }
  bool write_to(const std::string& path) const {
    const int file = open(path.c_str(), O_WRONLY | O_CREAT | O_EXCL | O_CLOEXEC, 0644);
    if (file < 0) return false;
    std::size_t at = 0;
    while (at < all_.size()) {
      const ssize_t count = write(file, all_.data() + at, all_.size() - at);
      if (count < 0 && errno == EINTR) continue;
      if (count <= 0) break;
      at += static_cast<std::size_t>(count);
    }
    return close(file) == 0 && at == all_.size();
  }

 private:
  std::string all_;
};

void tell_problem(const std::string& folder, const std::string& what) {
  const int file = open((folder + "/problems").c_str(), O_WRONLY | O_CREAT | O_APPEND | O_CLOEXEC, 0644);
  if (file < 0) return;
  const auto line = what + "\n";
  if (write(file, line.data(), line.size()) < 0) unlink((folder + "/problems").c_str());
  close(file);
}

/// Keeps the inputs that may vanish or change; false, with errno, where one can't be.
bool keep_inputs(const std::string& place, const Words& arguments, const std::string& output, Text& text) {
  int number = 0;
  for (std::size_t i = 0; i < arguments.size(); ++i) {
    const auto& word = arguments[i];
    if (takes_a_value(word)) {
      ++i;
      continue;
    }
    if (begins_with(word, "-") || word == output || !is_file(word) || is_of_system(word) ||
        is_thin_archive(word))
      continue;
    char folder[16];
    snprintf(folder, sizeof folder, "/%03d", number++);
    const auto slash = word.rfind('/');
    const auto kept = place + folder + "/" + (slash == std::string::npos ? word : word.substr(slash + 1));
    if (mkdir((place + folder).c_str(), 0755) != 0) return false;
    if (link(absolute(word).c_str(), kept.c_str()) != 0 && !copy(word, kept)) return false;
    text.add("at", std::to_string(i));
    text.add("kept", kept);
  }
  return true;
}

void remove_place(const std::string& place) {
  const pid_t child = fork();
  if (child != 0) return;
  execlp("rm", "rm", "-rf", "--", place.c_str(), static_cast<char*>(nullptr));
  _exit(127);
}

}  // namespace

void record(const std::string& folder, const std::string& linker, const Words& given) {
  const auto arguments = expanded(given);
  const auto output = output_of(arguments);
  if (makes_no_program(arguments) || !is_file(output)) return;
  std::string place = folder + "/XXXXXX";
  if (mkdtemp(place.data()) == nullptr)
    return tell_problem(folder, "the link of " + output + " could not be kept: " + strerror(errno));
  Text text;
  text.add("linker", linker);
  text.add("directory", absolute("."));
  text.add("output", absolute(output));
  text.add("digest", digest_of(output));
  for (const auto& word : arguments) text.add("argument", word);
  for (char** variable = environ; *variable != nullptr; ++variable)
    for (const char* wanted : {"COLLECT_", "COMPILER_PATH=", "LIBRARY_PATH=", "PATH=", "LTO",
                               "LD_RUN_PATH=", "SOURCE_DATE_EPOCH=", "GCC_", "TMPDIR=", "LANG=", "LC_ALL="})
      if (begins_with(*variable, wanted)) text.add("environment", *variable);
  if (keep_inputs(place, arguments, output, text) && text.write_to(place + "/draft") &&
      rename((place + "/draft").c_str(), (place + "/link").c_str()) == 0)
    return;
  tell_problem(folder, "the link of " + output + " could not be kept: " + strerror(errno));
  remove_place(place);
}

}  // namespace assay::shim
