#include "assay/relink/link_properties.hpp"

#include <filesystem>
#include <nlohmann/json.hpp>

#include "assay/measure/file_io.hpp"

namespace assay::relink {
namespace {

using Json = nlohmann::json;

}  // namespace

void save_properties(const LinkProperties& known, const std::string& file) {
  Json pieces = Json::array();
  for (const auto& p : known.pieces)
    pieces.push_back({p.key.kind, p.key.name, p.key.object, p.key.ordinal, p.pattern, p.section, p.address,
                      p.size, p.alignment});
  const Json all = {{"common", known.method == LayoutMethod::common},
                    {"shuffler", static_cast<int>(known.shuffler)},
                    {"own_script", known.own_script},
                    {"linker", known.linker},
                    {"script", known.script},
                    {"pieces", std::move(pieces)},
                    {"section_names", known.section_names},
                    {"seconds", known.seconds}};
  const auto draft = file + ".new";
  std::error_code failed;
  if (measure::write_file(draft, all.dump(-1, ' ', false, Json::error_handler_t::replace)))
    std::filesystem::rename(draft, file, failed);
  else
    std::filesystem::remove(draft, failed);
}

std::optional<LinkProperties> read_properties(const std::string& file) {
  try {
    const auto all = Json::parse(measure::content_of(file));
    LinkProperties known{.method = all.at("common") ? LayoutMethod::common : LayoutMethod::shuffled,
                         .shuffler = static_cast<ShuffleMethod>(all.at("shuffler").get<int>()),
                         .own_script = all.at("own_script"),
                         .linker = all.at("linker"),
                         .script = all.at("script"),
                         .pieces = {},
                         .section_names = all.at("section_names"),
                         .seconds = all.at("seconds")};
    for (const auto& p : all.at("pieces"))
      known.pieces.push_back({.key = {p.at(0), p.at(1), p.at(2), p.at(3)},
                              .pattern = p.at(4),
                              .section = p.at(5),
                              .address = p.at(6),
                              .size = p.at(7),
                              .alignment = p.at(8)});
    return known;
  } catch (const Json::exception&) {
    return {};
  }
}

}  // namespace assay::relink
