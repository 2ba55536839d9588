#include "assay/app/trust.hpp"

#include <fcntl.h>
#include <unistd.h>

#include <filesystem>

#include "assay/build/builder.hpp"
#include "assay/measure/file_io.hpp"
#include "assay/model/error.hpp"
#include "assay/model/own_files.hpp"

namespace assay::app {

void require_own_folder(const std::string& assay_folder) {
  std::error_code unreadable;
  if (!std::filesystem::exists(assay_folder, unreadable)) return;
  measure::Launcher launcher;
  build::refuse_foreign_folder(launcher, assay_folder);
}

void remember_campaign(const std::string& file, const std::string& uid) {
  try {
    make_private_folder(std::filesystem::path(file).parent_path().string());
  } catch (const Error&) {
    return;
  }
  const measure::Descriptor list(open_own(file, O_WRONLY | O_CREAT | O_APPEND));
  if (!list) return;
  const auto line = uid + "\n";
  [[maybe_unused]] const auto put = write(list.get(), line.data(), line.size());
}

bool is_remembered(const std::string& file, const std::string& uid) {
  return !uid.empty() && ("\n" + measure::content_of(file)).find("\n" + uid + "\n") != std::string::npos;
}

}  // namespace assay::app
