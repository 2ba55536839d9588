#pragma once

#include <algorithm>
#include <boost/beast/http/basic_parser.hpp>
#include <cstddef>
#include <cstdint>
#include <memory>
#include <set>
#include <span>
#include <string>
#include <utility>
#include <vector>

#include "assay/measure/file_io.hpp"
#include "assay/service/request.hpp"

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

/// Where a server listens, a port of the loopback interface or the path of a Unix socket, and what is spoken
/// there.
struct Address {
  int port = 0;
  std::string socket;  ///< empty: the port
  bool tls = false, http_2 = false;
  std::string authority;    ///< certificate (PEM) that the server's must be signed by; empty: any is taken
  bool compressed = false;  ///< replies are asked for compressed, and unpacked

  /// Whether it takes more than plain HTTP/1.1.
  bool is_plain() const { return !tls && !http_2 && !compressed; }

  std::string host() const;  ///< as a Host header has it
};

/// A request that is ready to be sent.
struct EncodedRequest {
  std::string bytes;  ///< as HTTP/1.1 has it
  bool is_head = false;
  Request request;
};
std::vector<EncodedRequest> encode(std::span<const Request> requests, const Address& address);

/// Seconds on the monotonic clock.
double now();

/// Bytes of a reply's body, beyond which it is malformed.
inline constexpr std::size_t longest_body = 64U << 20U;

/// Moves requests and replies over a number of connections, its slots, each of which has one request at a
/// time. Who sends when is the caller's business. One thread at a time.
class HttpTransport {
 public:
  virtual ~HttpTransport() = default;

  /// Makes so many slots and opens the first `at_once` connections, one after the other and with short
  /// pauses, since a server's queue of new ones may be short; the others are opened when they first send. How
  /// many of those could not be had: they are tried again then.
  virtual std::size_t open(std::size_t slots, std::size_t at_once) = 0;

  /// Sends a request that lives until its reply has come or was abandoned. A slot whose connection has ended
  /// is reopened; where that fails, wait() tells it as a reply.
  virtual void send(std::size_t slot, const EncodedRequest& wire) = 0;

  /// Waits for replies, at most until this moment, and returns those that came together; none when the time
  /// is over, or a connection was made, so that can_send() may be true now. The last 60 µs are waited for
  /// without sleep. Good until the next call.
  virtual std::span<Reply> wait(double until) = 0;

  /// Gives the slot's request up and ends its connection.
  virtual void cancel(std::size_t slot) = 0;

  /// Whether a slot may send without making the server's queue of new connections longer than it should be:
  /// it is connected, or few others are connecting.
  virtual bool can_send(std::size_t slot) const = 0;

  /// How many connections were reopened because they had ended.
  virtual std::size_t reopened() const = 0;

  /// Seconds that the slowest connection took to be made.
  virtual double longest_connect() const = 0;
};

/// What carries requests to this address: sockets of Assay's own for plain HTTP/1.1, since they cost the
/// driver least and change what is seen least; libcurl for TLS, HTTP/2 and compression.
std::unique_ptr<HttpTransport> open_transport(const Address& address);

/// Reads a reply's status and body, and of the headers what frames it: keeping them all would cost more than
/// the rest. One reply each; a thread's own.
class ReplyParser : public boost::beast::http::basic_parser<false> {
 public:
  /// The status line's number; 0 before one came.
  int status() const { return status_; }
  /// The body so far, without its chunks' frames.
  std::string take_body() { return std::move(body_); }

 private:
  using Text = boost::beast::string_view;
  using Failed = boost::system::error_code;

  void on_request_impl(boost::beast::http::verb, Text, Text, int, Failed&) override {}
  void on_response_impl(int status, Text, int, Failed&) override { status_ = status; }
  void on_field_impl(boost::beast::http::field, Text, Text, Failed&) override {}
  void on_header_impl(Failed&) override {}
  void on_body_init_impl(const boost::optional<std::uint64_t>& length, Failed&) override {
    constexpr std::uint64_t much = 1U << 20U;
    if (length) body_.reserve(static_cast<std::size_t>(std::min(*length, much)));
  }
  std::size_t on_body_impl(Text piece, Failed&) override { return add(piece); }
  void on_chunk_header_impl(std::uint64_t, Text, Failed&) override {}
  std::size_t on_chunk_body_impl(std::uint64_t, Text piece, Failed&) override { return add(piece); }
  void on_finish_impl(Failed&) override {}

  std::size_t add(Text piece) {
    body_.append(piece.data(), piece.size());
    return piece.size();
  }

  int status_ = 0;
  std::string body_;
};

/// Requests through libcurl, a connection for each slot: TLS, HTTP/2 over it, compressed replies, which are
/// unpacked. Connections are made by the first requests. Waits end to the millisecond; the last one is spent
/// without sleep. No proxies, no redirects. A body beyond longest_body is malformed.
std::unique_ptr<HttpTransport> curl_transport(const Address& address);

/// HTTP/1.1 over sockets of its own: keep-alive, chunked bodies, interim replies, bodies that end with the
/// connection. No proxies, no redirects. A body beyond 64 MiB is malformed.
std::unique_ptr<HttpTransport> socket_transport(const Address& address);

/// A socket to a server on this machine that does not block: connected, or on its way there, which
/// `on_its_way` tells. None where it can't be. Any thread.
measure::Descriptor begin_to_connect(const Address& address, bool& on_its_way);

/// Whether a socket that was on its way did not get there. Any thread.
bool has_failed(int socket);

/// Whether a program takes connections at a Unix socket.
bool is_answered(const std::string& socket);

/// The inodes of the TCP sockets that listen on this port, whatever the address. Asks the kernel for those
/// alone (sock_diag(7)); where that is not to be had, reads its tables of all connections, which takes long
/// after many short ones.
std::set<std::uint64_t> listeners_on(int port);

}  // namespace assay::service
