#include "assay/measure/files.hpp"

#include <fstream>
#include <sstream>

namespace assay::measure {

std::string content_of(const std::string& path) {
  std::ifstream file(path, std::ios::binary);
  std::ostringstream text;
  text << file.rdbuf();
  return text.str();
}

bool write_file(const std::string& path, const std::string& text) {
  std::ofstream file(path, std::ios::binary);
  file << text << std::flush;
  return file.good();
}

}  // namespace assay::measure
