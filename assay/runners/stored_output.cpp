#include "assay/runners/stored_output.hpp"

#include <fcntl.h>
#include <unistd.h>

#include <cerrno>
#include <cstdlib>
#include <cstring>
#include <filesystem>

#include "assay/model/error.hpp"

namespace assay::runners {
namespace {

[[noreturn]] void fail(const std::string& what) {
  throw Error(what + ": " + std::strerror(errno), std::filesystem::temp_directory_path().string(),
              "make room there", Error::Code::measuring);
}

measure::Descriptor anonymous_file() {
  auto path = (std::filesystem::temp_directory_path() / "assay-answer-XXXXXX").string();
  measure::Descriptor file(mkostemp(path.data(), O_CLOEXEC));
  if (!file) fail("a checked answer can't be kept");
  unlink(path.c_str());
  return file;
}

}  // namespace

StoredOutput::StoredOutput(const check::Output& answer)
    : digest_(answer.digest), size_(answer.size), kept_(answer.out.size()), whole_(answer.whole) {
  if (kept_ <= most_in_memory) {
    short_text_ = answer.out;
    return;
  }
  file_ = anonymous_file();
  auto left = answer.out;
  while (!left.empty()) {
    const auto put = write(file_.get(), left.data(), left.size());
    if (put < 0 && errno == EINTR) continue;
    if (put <= 0) fail("a checked answer can't be kept");
    left.remove_prefix(static_cast<std::size_t>(put));
  }
}

std::string StoredOutput::text() const {
  if (kept_ <= most_in_memory) return short_text_;
  std::string text(kept_, '\0');
  std::size_t at = 0;
  while (at < kept_) {
    const auto got = pread(file_.get(), text.data() + at, kept_ - at, static_cast<off_t>(at));
    if (got < 0 && errno == EINTR) continue;
    if (got <= 0) fail("a kept answer can't be read back");
    at += static_cast<std::size_t>(got);
  }
  return text;
}

check::Output StoredOutput::as_output(std::string_view text) const {
  return {.out = text, .whole = whole_, .digest = digest_, .size = size_};
}

}  // namespace assay::runners
