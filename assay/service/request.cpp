#include "assay/service/request.hpp"

#include <re2/re2.h>

#include <algorithm>
#include <cstdint>
#include <filesystem>
#include <fstream>
#include <iterator>
#include <sstream>

#include "assay/codec/json.hpp"
#include "assay/model/error.hpp"
#include "assay/model/text.hpp"

namespace assay::service {
namespace {

constexpr std::size_t most_body = 64UL << 20U, most_requests = 1UL << 30U;

bool has_control(const std::string& text) {
  return std::ranges::any_of(text, [](unsigned char c) { return (c < 0x20 && c != '\t') || c == 0x7f; });
}

bool is_same_ignoring_case(const std::string& a, const std::string& b) {
  return std::ranges::equal(
      a, b, [](unsigned char x, unsigned char y) { return std::tolower(x) == std::tolower(y); });
}

using codec::Json;

/// One line of a request file.
class Line {
 public:
  Line(const std::string& file, std::size_t number) : file_(file), number_(number) {}

  Request read(const std::string& text) const {
    const auto json = codec::parse_json(text);
    if (!json || !json->is_object())
      fail("this is no JSON object", R"(write it like {"path": "/plan?from=3"})");
    static const std::vector<std::string> known = {"path",      "method", "headers", "body",
                                                   "body_file", "status", "match"};
    for (const auto& [key, value] : json->items())
      if (std::ranges::count(known, key) == 0) fail("unknown key \"" + key + "\"", did_you_mean(key, known));
    Request request;
    request.path = text_of(*json, "path");
    if (!request.path.starts_with('/')) fail("a path begins with /", "write it like \"path\": \"/plan\"");
    if (request.path.find_first_of(" \t\r\n") != std::string::npos)
      fail("a path has no blanks", "write them as %20");
    if (json->contains("method")) request.method = text_of(*json, "method");
    if (request.method.empty() ||
        !std::ranges::all_of(request.method, [](char c) { return c >= 'A' && c <= 'Z'; }))
      fail("\"" + request.method + "\" is no method", "write GET, HEAD, POST, PUT, PATCH or DELETE");
    read_headers(*json, request);
    read_body(*json, request);
    if (json->contains("status")) request.status = status_of((*json)["status"]);
    if (json->contains("match")) request.match = text_of(*json, "match");
    if (const RE2 pattern("(?m)" + request.match, RE2::Quiet); !pattern.ok())
      fail("match is not a regular expression: " + pattern.error(), "see the RE2 syntax");
    return request;
  }

 private:
  [[noreturn]] void fail(const std::string& problem, const std::string& remedy) const {
    throw Error(problem, file_ + ":" + std::to_string(number_), remedy);
  }

  std::string text_of(const Json& json, const char* key) const {
    if (!json.contains(key))
      fail("\"" + std::string(key) + "\" is missing", R"(write it like {"path": "/plan"})");
    if (!json[key].is_string()) fail("\"" + std::string(key) + "\" is no text", "write it in quotes");
    return json[key].get<std::string>();
  }

  int status_of(const Json& json) const {
    const auto status = json.is_number_integer() ? json.get<std::int64_t>() : 0;
    if (status < 200 || status > 599) fail("\"status\" is no status of a reply", "use 200 to 599");
    return static_cast<int>(status);
  }

  void read_headers(const Json& json, Request& request) const {
    if (!json.contains("headers")) return;
    if (!json["headers"].is_object())
      fail("\"headers\" is no object", R"(write them like {"Accept": "text/html"})");
    for (const auto& [name, value] : json["headers"].items()) {
      if (!value.is_string()) fail("header \"" + name + "\" is no text", "write it in quotes");
      const auto text = value.get<std::string>();
      if (name.empty() || name.find_first_of(": \t") != std::string::npos || has_control(name + text))
        fail("header \"" + name + "\" can't be sent",
             "names have no colon and no blank, and neither they nor values a control character");
      if (is_same_ignoring_case(name, "Content-Length") || is_same_ignoring_case(name, "Transfer-Encoding"))
        fail("header \"" + name + "\" is not for a request file to say", "it follows from the body");
      request.headers[name] = text;
    }
  }

  void read_body(const Json& json, Request& request) const {
    if (json.contains("body") && json.contains("body_file"))
      fail("both body and body_file say what is sent", "leave one of them out");
    if (json.contains("body")) {
      const bool plain = json["body"].is_string();
      request.body = plain ? json["body"].get<std::string>() : json["body"].dump();
      if (!plain) request.headers.emplace("Content-Type", "application/json");
    }
    if (json.contains("body_file")) {
      const auto path = std::filesystem::path(file_).parent_path() / text_of(json, "body_file");
      try {
        request.body = read_regular(path.string(), most_body);
      } catch (const Error& error) {
        fail("body_file " + path.string() + ": " + error.problem(), "name a file of at most 64 MiB");
      }
    }
    if (!request.body.empty() && !json.contains("method")) request.method = "POST";
  }

  const std::string& file_;
  std::size_t number_;
};

}  // namespace

std::vector<Request> read_requests(const std::string& file) {
  std::istringstream in(read_regular(file, most_requests));
  std::vector<Request> requests;
  std::size_t number = 0;
  for (std::string text; std::getline(in, text);) {
    ++number;
    if (text.find_first_not_of(" \t\r") != std::string::npos)
      requests.push_back(Line(file, number).read(text));
  }
  if (requests.empty())
    throw Error("there is no request in it", file, R"(write one a line, like {"path": "/plan"})");
  return requests;
}

bool has_body(const Request& request) {
  return !request.body.empty() || request.method == "POST" || request.method == "PUT" ||
         request.method == "PATCH";
}

std::string on_the_wire(const Request& request, const std::string& host) {
  auto text = request.method + " " + request.path + " HTTP/1.1\r\n";
  if (!request.headers.contains("Host")) text += "Host: " + host + "\r\n";
  for (const auto& [name, value] : request.headers) text += name + ": " + value + "\r\n";
  if (has_body(request)) text += "Content-Length: " + std::to_string(request.body.size()) + "\r\n";
  return text + "\r\n" + request.body;
}

}  // namespace assay::service
