#include "assay/relink/captured_links.hpp"

#include <unistd.h>

#include <algorithm>
#include <charconv>
#include <cstdlib>
#include <filesystem>
#include <fstream>
#include <nlohmann/json.hpp>
#include <optional>

#include "assay/measure/file_io.hpp"
#include "assay/measure/program_file.hpp"
#include "assay/model/error.hpp"
#include "assay/model/own_files.hpp"

namespace assay::relink {
namespace fs = std::filesystem;
namespace {

/// Texts that end in NUL, by two: what it is, and its value. `at` and `kept` say where a kept input stands
/// among the arguments.
std::optional<CapturedLink> read_link(const fs::path& path) {
  constexpr std::size_t most = 64UL << 20U;
  std::string text;
  try {
    text = read_regular(path.string(), most);
  } catch (const Error&) {
    return {};  // a build can put anything there
  }
  std::vector<std::string> texts;
  for (std::size_t at = 0, end = 0; (end = text.find('\0', at)) != std::string::npos; at = end + 1)
    texts.push_back(text.substr(at, end - at));
  CapturedLink link;
  std::size_t place = 0;
  for (std::size_t i = 0; i + 1 < texts.size(); i += 2) {
    const auto &kind = texts[i], &value = texts[i + 1];
    if (kind == "linker") link.linker = value;
    if (kind == "directory") link.directory = fs::path(value).lexically_normal().string();
    if (kind == "output") link.output = fs::path(value).lexically_normal().string();
    if (kind == "digest") link.digest = value;
    if (kind == "argument") link.arguments.push_back(value);
    if (kind == "environment") link.environment.push_back(value);
    if (kind == "at" && std::from_chars(value.data(), value.data() + value.size(), place).ec != std::errc{})
      return {};
    if (kind == "kept" && place < link.arguments.size()) {
      link.named.push_back(link.arguments[place]);
      link.arguments[place] = value;
      link.kept.push_back(value);
    }
  }
  if (link.linker.empty() || link.output.empty()) return {};
  return link;
}

}  // namespace

std::vector<CapturedLink> captured_links(const std::string& folder) {
  std::vector<std::pair<fs::file_time_type, fs::path>> found;
  std::error_code failed;
  for (fs::directory_iterator at(folder, failed), end; !failed && at != end; at.increment(failed)) {
    const auto record = at->path() / "link";
    if (const auto time = fs::last_write_time(record, failed); !failed) found.emplace_back(time, record);
    failed.clear();
  }
  std::ranges::sort(found);
  std::vector<CapturedLink> links;
  for (const auto& [time, record] : found)
    if (auto link = read_link(record)) links.push_back(std::move(*link));
  return links;
}

const CapturedLink* link_of(const std::vector<CapturedLink>& links, const std::string& program) {
  std::error_code failed;
  const auto place = fs::weakly_canonical(program, failed).string();
  const auto digest = measure::digest_of_file(program);
  const CapturedLink* found = nullptr;
  for (const auto& link : links)
    if (!digest.empty() && link.digest == digest &&
        (found == nullptr || link.output == place || found->output != place))
      found = &link;
  if (found != nullptr) return found;
  const auto id = measure::build_id_of(program);
  for (const auto& link : links)
    if (!id.empty() && measure::build_id_of(link.output) == id) found = &link;
  return found;
}

std::vector<std::string> libraries_of(const CapturedLink& link, const std::string& folder) {
  const auto root = fs::path(folder);
  std::vector<std::string> found;
  const auto add = [&](const fs::path& given) {
    std::error_code failed;
    const auto path = fs::weakly_canonical(fs::path(link.directory) / given, failed);
    const auto relative = path.lexically_relative(root);
    if (failed || !fs::is_regular_file(path, failed) || relative.empty() || *relative.begin() == "..")
      return false;
    if (std::ranges::count(found, path.string()) == 0) found.push_back(path.string());
    return true;
  };
  std::vector<std::string> folders;
  const auto& words = link.arguments;
  for (std::size_t i = 0; i < words.size(); ++i)
    if (words[i] == "-L" && i + 1 < words.size())
      folders.push_back(words[i + 1]);
    else if (words[i].starts_with("-L"))
      folders.push_back(words[i].substr(2));
  for (const auto& name : link.named)
    if (fs::path(name).filename().string().find(".so") != std::string::npos) add(name);
  for (const auto& word : words) {
    if (!word.starts_with("-l") || word.size() < 3) continue;
    const auto name = word[2] == ':' ? word.substr(3) : "lib" + word.substr(2) + ".so";
    for (const auto& place : folders)
      if (add(fs::path(place) / name)) break;
  }
  return found;
}

std::string capture_problems(const std::string& folder) { return measure::content_of(folder + "/problems"); }

}  // namespace assay::relink

extern const char assay_shim_image[];
extern const char assay_shim_image_end[];

namespace assay::relink {

std::string shim_folder(const std::string& folder) {
  const std::string image(assay_shim_image, assay_shim_image_end);
  const auto place = fs::absolute(folder) / measure::digest_of(image).substr(0, 12);
  std::error_code failed;
  if (fs::exists(place, failed)) {
    if (measure::content_of((place / "ld").string()) == image) return place.string();
    fs::remove_all(place, failed);  // what lies there is something else, and would be run as a linker
  }
  // Made aside and put in its place at once, since others may be at it too.
  const auto draft = fs::path(place.string() + "." + std::to_string(getpid()));
  fs::create_directories(draft, failed);
  const auto first = draft / "ld";
  std::ofstream(first, std::ios::binary) << image;
  if (!failed) fs::permissions(first, fs::perms{0755}, failed);
  for (const char* name : {"ld.bfd", "ld.gold", "ld.lld", "cc1", "cc1plus", "cc1obj", "cc1objplus", "lto1",
                           "f951", "gnat1", "d21"})
    if (!failed) fs::create_hard_link(first, draft / name, failed);
  if (!failed) {
    fs::rename(draft, place, failed);
    if (failed && fs::exists(place)) failed.clear();
  }
  if (failed)
    throw Error("the linker's stand-in can't be written: " + failed.message(), place.string(),
                "make room there, or build without relink");
  std::error_code ignored;
  fs::remove_all(draft, ignored);
  return place.string();
}

std::vector<std::string> capturing_environment(const std::string& shim, const std::string& links) {
  const auto in_front = [&](const char* name) {
    const char* before = std::getenv(name);
    return std::string(name) + "=" + shim + (before != nullptr && *before != '\0' ? ":" : "") +
           (before != nullptr ? before : "");
  };
  // A compiler cache must not take up objects that were compiled with an option that was not given.
  return {in_front("COMPILER_PATH"),
          in_front("PATH"),
          "ASSAY_LINKS=" + links,
          "ASSAY_SECTIONS=1",
          "CCC_OVERRIDE_OPTIONS=# +-ffunction-sections",
          "CCACHE_DISABLE=1"};
}

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
