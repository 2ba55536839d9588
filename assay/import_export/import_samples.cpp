#include <csv.h>

#include <array>
#include <exception>
#include <filesystem>
#include <fstream>
#include <iterator>

#include "assay/codec/json.hpp"
#include "assay/import_export/import_export.hpp"
#include "assay/import_export/sample_builder.hpp"
#include "assay/model/error.hpp"
#include "assay/model/own_files.hpp"

namespace assay::import_export {

namespace {

/// Takes rows from libcsv as they come.
class Rows {
 public:
  Rows(SampleBuilder& gathering, const std::string& name) : gathering_(gathering), name_(name) {
    if (csv_init(&parser_, CSV_STRICT | CSV_STRICT_FINI) != 0)
      throw Error("there is no memory to read it", name);
  }
  ~Rows() { csv_free(&parser_); }
  Rows(const Rows&) = delete;
  Rows& operator=(const Rows&) = delete;

  void take(const char* bytes, std::size_t count) {
    if (csv_parse(&parser_, bytes, count, field, row, this) != count) fail();
    if (thrown_) std::rethrow_exception(thrown_);
  }

  void end() {
    if (csv_fini(&parser_, field, row, this) != 0) fail();
    if (thrown_) std::rethrow_exception(thrown_);
    if (line_ == 0) throw Error("there is nothing in it", name_, "the first line names the columns");
  }

 private:
  [[noreturn]] void fail() {
    if (thrown_) std::rethrow_exception(thrown_);
    throw Error("this is not CSV: a quote stands where none can", name_ + ":" + std::to_string(line_ + 1),
                "quotes enclose a whole field, and are doubled within it");
  }

  static void field(void* bytes, std::size_t size, void* self) {
    auto& rows = *static_cast<Rows*>(self);
    if (rows.used_ == rows.fields_.size()) rows.fields_.emplace_back();
    rows.fields_[rows.used_++].assign(static_cast<const char*>(bytes), size);
  }

  static void row(int, void* self) {
    auto& rows = *static_cast<Rows*>(self);
    if (rows.thrown_) return;  // nothing may be thrown through libcsv
    try {
      rows.take_row();
    } catch (...) {
      rows.thrown_ = std::current_exception();
    }
  }

  void take_row() {
    ++line_;
    const auto fields = used_;
    used_ = 0;
    if (line_ == 1) {
      fields_.resize(fields);
      columns_ = fields;
      gathering_.set_columns(fields_, name_ + ":1");
      return;
    }
    if (fields != columns_)
      throw Error(std::to_string(fields) + " fields, and the header has " + std::to_string(columns_),
                  name_ + ":" + std::to_string(line_));
    gathering_.add(fields_, line_);
  }

  SampleBuilder& gathering_;
  const std::string& name_;
  csv_parser parser_{};
  std::vector<std::string> fields_;
  std::size_t used_ = 0, columns_ = 0, line_ = 0;
  std::exception_ptr thrown_;
};

}  // namespace

Record read_csv(std::istream& in, const std::string& name, const ImportOptions& asked) {
  SampleBuilder gathering(asked, name);
  Rows rows(gathering, name);
  std::array<char, 65536> piece{};
  while (in.read(piece.data(), piece.size()) || in.gcount() > 0)
    rows.take(piece.data(), static_cast<std::size_t>(in.gcount()));
  rows.end();
  return gathering.finish();
}

Record read_json(const std::string& text, const std::string& name, const ImportOptions& asked) {
  const auto document = codec::parse_json(text);
  if (!document) throw Error("this is not JSON, or it nests too deeply", name);
  if (!document->is_array())
    throw Error("this is no list of samples", name,
                "write [{\"candidate\": …, \"metric\": …, \"value\": …}, …]");
  SampleBuilder gathering(asked, name);
  std::size_t number = 0;
  std::vector<std::string> names;
  for (const auto& entry : *document) {
    const auto place = name + ", entry " + std::to_string(++number);
    if (!entry.is_object()) throw Error("this is no object", place);
    std::vector<std::string> keys, fields;
    for (const auto& [key, value] : entry.items()) {
      keys.push_back(key);
      fields.push_back(value.is_string() ? value.get<std::string>()
                       : value.is_null() ? std::string{}
                                         : value.dump());
    }
    if (number == 1 || keys != names) gathering.set_columns(keys, place);
    names = keys;
    gathering.add(fields, number);
  }
  return gathering.finish();
}

Record read_file(const std::string& path, const ImportOptions& asked) {
  std::error_code unreadable;
  if (!std::filesystem::exists(path, unreadable))
    throw Error("there is no such file", path, "is the path right?");
  if (std::filesystem::is_directory(path, unreadable)) throw Error("this is a folder, not a file", path);
  if (!std::filesystem::is_regular_file(path, unreadable))
    throw Error("this is not a regular file", path, "name a file");
  if (!path.ends_with(".json")) {
    std::ifstream file(path, std::ios::binary);
    if (!file) throw Error("this file can't be read", path, "look at its permissions");
    return read_csv(file, path, asked);
  }
  constexpr std::size_t most = 4UL << 30U;
  const auto text = read_regular(path, most);
  return is_record(text) ? record_from_json(text, path, asked.uid) : read_json(text, path, asked);
}

}  // namespace assay::import_export
