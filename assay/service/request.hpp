#pragma once

#include <map>
#include <string>
#include <vector>

namespace assay::service {

/// One request, as a workload asks for it.
struct Request {
  std::string method = "GET", path;
  std::map<std::string, std::string> headers;
  std::string body;
  int status = 0;     ///< that its reply must have; 0: one of the workload's
  std::string match;  ///< RE2, multi-line, that must occur in the reply's body; empty: none

  bool operator==(const Request&) const = default;
};

/// Reads requests, one JSON object a line: `path` (required), `method`, `headers` (an object of texts),
/// `body` (text, or JSON that is sent as such with its content type), `body_file` (relative to the file's
/// folder), `status`, `match`. Empty lines are passed over. Throws Error that names the line for what is none
/// of that, and for a file without requests.
std::vector<Request> read_requests(const std::string& file);

/// Whether it is sent with a body, which may be empty.
bool has_body(const Request& request);

/// The request in HTTP/1.1, with `Host`, and `Content-Length` where there is a body.
std::string on_the_wire(const Request& request, const std::string& host);

}  // namespace assay::service
