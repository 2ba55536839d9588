#include "assay/exchange/read_file.hpp"

#include <filesystem>
#include <fstream>
#include <iterator>

#include "assay/exchange/record_json.hpp"
#include "assay/model/error.hpp"

namespace assay::exchange {

Record read_file(const std::string& path, const ImportOptions& asked) {
  std::error_code unreadable;
  if (!std::filesystem::exists(path, unreadable))
    throw Error("there is no such file", path, "is the path right?");
  if (std::filesystem::is_directory(path, unreadable)) throw Error("this is a folder, not a file", path);
  std::ifstream file(path, std::ios::binary);
  if (!file) throw Error("this file can't be read", path, "look at its permissions");
  if (!path.ends_with(".json")) return read_csv(file, path, asked);
  const std::string text{std::istreambuf_iterator<char>(file), {}};
  return is_record(text) ? record_from_json(text, path, asked.uid) : read_json(text, path, asked);
}

}  // namespace assay::exchange
