#pragma once

#include <cstddef>
#include <cstdint>
#include <functional>
#include <optional>
#include <span>
#include <stop_token>
#include <string>
#include <vector>

#include "assay/service/http_transport.hpp"

namespace assay::service {

/// What became of one request.
struct RequestResult {
  std::size_t request = 0;  ///< its place among the requests
  double latency = 0;       ///< seconds from when it was sent, or due, to the last byte of its reply
  RequestError error = RequestError::none;
  int status = 0;
  std::uint64_t digest = 0;  ///< of the reply's body (XXH3)
};

/// The result of a stretch of requests.
struct LoadResult {
  std::vector<RequestResult> sent;  ///< in the order of their replies
  double seconds = 0;               ///< from the first sent, or due, to the last reply
  double in_flight = 0;             ///< request-seconds: how many were under way, over time
  std::vector<double>
      send_delays;       ///< seconds by which requests were sent after they were due; open loop only
  bool gave_up = false;  ///< too many were outstanding, or it was stopped; what was not sent is not there
  /// Of an open loop: requests that had no reply yet when the last was due, and when half were.
  std::size_t outstanding = 0, outstanding_at_half = 0;
  /// Of an open loop: replies that had come when the last was due or it was given up, and seconds until then.
  std::size_t answered_while_due = 0;
  double due_seconds = 0;
  std::size_t most_outstanding = 0;  ///< at any time, of an open loop
  double driver_cpu = 0;             ///< seconds that the calling thread used
};

/// Receives each reply with its body and the digest of it, before the next is sent.
using ReplyHandler = std::function<void(const RequestResult& sent, const std::string& body)>;

/// Whose requests go out when.
struct Load {
  std::span<const EncodedRequest> requests;  ///< taken from `first` on, cycled
  std::size_t first = 0, count = 0;
  double timeout = 10;    ///< seconds for a reply
  std::size_t slots = 1;  ///< connections, which the carrier has opened
};

/// Closed loop: each slot sends the next request when its reply has come.
LoadResult run_closed_loop(HttpTransport& carrier, const Load& load, const ReplyHandler& seen,
                           const std::stop_token& stop);

/// Open loop: request i goes out when it is due, `due[i]` seconds (ascending) after the beginning, over a
/// slot that is free, or as soon as one is; its latency counts from when it was due. Given up once `backlog`
/// are outstanding.
LoadResult run_open_loop(HttpTransport& carrier, const Load& load, std::span<const double> due,
                         std::size_t backlog, const ReplyHandler& seen, const std::stop_token& stop);

/// Moments at which `count` requests are due at `rate` a second: evenly spaced, or at random (exponential
/// spaces, of the seed). Their mean space is 1/rate either way.
std::vector<double> arrival_times(std::size_t count, double rate, bool at_random, std::uint64_t seed);

/// Whether an open loop was held up: more than 2 % of its requests, and more than 1.5 times as many as at
/// half its time and ten, were outstanding when the last was due, or it was given up.
bool is_overloaded(const LoadResult& stretch, std::size_t count);

}  // namespace assay::service
