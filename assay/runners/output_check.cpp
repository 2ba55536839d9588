#include "assay/runners/output_check.hpp"

#include <unistd.h>

#include <cstring>
#include <filesystem>

#include "assay/measure/file_io.hpp"
#include "assay/measure/program_file.hpp"
#include "assay/model/error.hpp"
#include "assay/model/text.hpp"

namespace assay::runners {
namespace {

/// A file that is gone with this object.
class TemporaryFile {
 public:
  explicit TemporaryFile(std::string_view content)
      : path_((std::filesystem::temp_directory_path() / "assay-answer-XXXXXX").string()) {
    const measure::Descriptor file(mkstemp(path_.data()));
    while (!content.empty()) {
      const auto put = file.get() < 0 ? -1 : write(file.get(), content.data(), content.size());
      if (put <= 0) {
        const std::string why = std::strerror(errno);
        unlink(path_.c_str());
        throw Error("the answer can't be written for its checker: " + why, path_, "make room there",
                    Error::Code::measuring);
      }
      content.remove_prefix(static_cast<std::size_t>(put));
    }
  }
  ~TemporaryFile() { unlink(path_.c_str()); }
  TemporaryFile(const TemporaryFile&) = delete;
  TemporaryFile& operator=(const TemporaryFile&) = delete;

  const std::string& path() const { return path_; }

 private:
  std::string path_;
};

}  // namespace

std::optional<std::string> run_checker(measure::Launcher& launcher, const ProgramCell& cell,
                                       const check::Output& answer, const std::stop_token& stop) {
  if (cell.planned.check.program.empty()) return {};
  if (!answer.whole) return "its output is too long for its checker";
  const TemporaryFile file(answer.out);
  const measure::Command command{
      .program = measure::find_program(cell.planned.check.program.front(), cell.folder),
      .arguments = cell.planned.check.program,
      .directory = cell.folder,
      .stdin_file = file.path(),
      .timeout = cell.command.timeout};
  const auto result = launcher.run(command, stop);
  if (result.interrupted) return {};
  const auto output = [&] {
    auto text = stderr_tail(result);
    if (text.empty() && result.out) {
      const auto head = result.out->head();
      text = "\n" + printable_line(head.substr(0, head.find('\n')), 160);
    }
    return text;
  };
  if (result.not_started) return "its checker could not be started: " + *result.not_started;
  if (result.timed_out) return "its checker took longer than the workload's time limit";
  if (result.signal != 0) return "its checker ended by signal " + std::to_string(result.signal) + output();
  if (result.exit_status != 0)
    return "the checker rejected the output (exit status " + std::to_string(result.exit_status) + ")" +
           output();
  return {};
}

}  // namespace assay::runners
