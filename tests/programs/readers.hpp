#pragma once

#include <fcntl.h>
#include <sys/mman.h>
#include <unistd.h>

#include <boost/asio/buffer.hpp>
#include <boost/beast/http/basic_parser.hpp>
#include <cstdlib>
#include <filesystem>
#include <fstream>
#include <map>
#include <sstream>
#include <string>

#include "assay/check/extract.hpp"
#include "assay/check/replies.hpp"
#include "assay/codec/json.hpp"
#include "assay/import_export/import_export.hpp"
#include "assay/judge/judge.hpp"
#include "assay/model/error.hpp"
#include "assay/model/text.hpp"
#include "assay/plan/cells.hpp"
#include "assay/plan/plan_file.hpp"
#include "assay/relink/captured_links.hpp"
#include "assay/relink/code_map.hpp"
#include "assay/runners/sample_lines.hpp"
#include "assay/service/http_transport.hpp"
#include "assay/service/request.hpp"

/// Every reader of what comes from outside, for scripts/fuzz.sh and for the test that replays its corpus: whatever the
/// bytes, it reads them or throws Error, and what it took reads back the same.
namespace assay::test {

inline void require(bool holds) {
  if (!holds) std::abort();
}

inline void read_plan_bytes(const std::string& bytes) {
  const auto plan = plan::read(bytes, "fuzz.toml", "/canal");
  require(plan::read(plan::to_toml(plan), "written.toml", "/canal") == plan);
}

inline void read_csv_bytes(const std::string& bytes) {
  std::istringstream in(bytes);
  judge::judge_record(import_export::read_csv(in, "s.csv", {.uid = "0123456789abcdef"}));
}

inline void read_json_bytes(const std::string& bytes) {
  if (import_export::is_record(bytes))
    judge::judge_record(import_export::record_from_json(bytes, "r.json", "0123456789abcdef"));
  else
    judge::judge_record(import_export::read_json(bytes, "s.json", {.uid = "0123456789abcdef"}));
}

inline void read_request_bytes(const std::string& bytes) {
  const int file = memfd_create("requests", MFD_CLOEXEC);
  require(file >= 0 && write(file, bytes.data(), bytes.size()) == static_cast<ssize_t>(bytes.size()));
  try {
    for (const auto& request : service::read_requests("/proc/self/fd/" + std::to_string(file)))
      require(service::on_the_wire(request, "h").find("\r\n\r\n") != std::string::npos);
  } catch (const model::Error&) {
  }
  close(file);
}

inline void read_reply_bytes(const std::string& bytes) {
  service::ReplyParser parser;
  parser.body_limit(service::longest_body);
  parser.eager(true);
  boost::system::error_code failed;
  for (std::size_t at = 0; at < bytes.size() && !parser.is_done();) {
    const auto taken = parser.put(boost::asio::buffer(bytes.data() + at, bytes.size() - at), failed);
    if (failed || taken == 0) break;
    at += taken;
  }
  parser.take_body();
}

/// The first line is a pattern or pointer, the rest a trial's output.
inline void extract_from_bytes(const std::string& bytes) {
  const auto end = std::min(bytes.find('\n'), bytes.size());
  const auto first = bytes.substr(0, end), rest = bytes.substr(std::min(end + 1, bytes.size()));
  model::PlannedMetric metric{.metric = {.name = "m"}, .from = "stdout"};
  (first.starts_with("/") ? metric.json : metric.pattern) = first;
  model::Plan plan{.candidates = {{.name = "a", .run = {"a"}}, {.name = "b", .run = {"b"}}},
                   .workloads = {{.name = "w"}}};
  plan.metrics = {metric};
  plan::validate(plan);
  check::extract(metric, rest);
}

inline void read_link_bytes(const std::string& bytes) {
  static const std::string folder = [] {
    std::string name = "/tmp/assay-links-XXXXXX";
    require(mkdtemp(name.data()) != nullptr);
    std::filesystem::create_directories(name + "/1");
    return name;
  }();
  std::ofstream(folder + "/1/link", std::ios::binary) << bytes;
  relink::captured_links(folder);
}

using Reader = void (*)(const std::string&);

inline const std::map<std::string, Reader>& readers() {
  static const std::map<std::string, Reader> all = {
      {"csv", read_csv_bytes},
      {"extract", extract_from_bytes},
      {"json", read_json_bytes},
      {"links", read_link_bytes},
      {"map", [](const std::string& bytes) { relink::pieces_of(relink::read_code_map(bytes)); }},
      {"plan", read_plan_bytes},
      {"replies", read_reply_bytes},
      {"requests", read_request_bytes},
      {"samples", [](const std::string& bytes) { runners::parse_samples(bytes); }},
      {"text", [](const std::string& bytes) { model::printable(bytes); }},
      {"units", [](const std::string& bytes) {
         try {
           model::parse_duration(bytes);
         } catch (const model::Error&) {
         }
         model::parse_lead_in(bytes);
       }}};
  return all;
}

/// Throws what a reader may not throw.
inline void read_with(Reader reader, const std::string& bytes) {
  try {
    reader(bytes);
  } catch (const model::Error&) {
  }
}

}  // namespace assay::test
