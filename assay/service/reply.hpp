#pragma once

#include <cstddef>
#include <string>

namespace assay::service {

/// Why there is no reply to a request.
enum class RequestError {
  none,
  connect,      ///< no connection could be had
  timeout,      ///< no whole reply in time
  reset,        ///< the connection ended before any of it came
  truncated,    ///< the connection ended in the midst of it
  malformed,    ///< what came is no HTTP
  certificate,  ///< the server's is not the one that was expected
  protocol      ///< the server does not speak TLS or HTTP/2, as was asked for
};

/// What came back on a slot of a carrier.
struct Reply {
  std::size_t slot = 0;
  double at = 0;  ///< seconds on the monotonic clock, when its last byte was seen
  RequestError error = RequestError::none;
  int status = 0;  ///< 0 where there is none
  std::string body;
};

/// In words: "the connection was reset".
std::string to_string(RequestError fault);

}  // namespace assay::service
