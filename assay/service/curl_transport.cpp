#include <curl/curl.h>

#include <algorithm>
#include <cmath>
#include <deque>
#include <mutex>
#include <string>
#include <utility>

#include "assay/model/error.hpp"
#include "assay/service/http_transport.hpp"

namespace assay::service {
namespace {

struct EndHandle {
  void operator()(CURL* handle) const { curl_easy_cleanup(handle); }
};
struct EndMulti {
  void operator()(CURLM* multi) const { curl_multi_cleanup(multi); }
};
struct EndList {
  void operator()(curl_slist* list) const { curl_slist_free_all(list); }
};

/// One connection's requests, one at a time.
struct Transfer {
  std::size_t place = 0;
  std::unique_ptr<CURL, EndHandle> handle;
  std::unique_ptr<curl_slist, EndList> headers;
  std::string body;
  bool waiting = false;
};

std::size_t take_body(const char* data, std::size_t size, std::size_t count, void* slot) {
  auto& body = static_cast<Transfer*>(slot)->body;
  const auto bytes = size * count;
  if (body.size() + bytes > longest_body) return 0;
  body.append(data, bytes);
  return bytes;
}

RequestError fault_of(CURLcode code) {
  switch (code) {
    case CURLE_OK:
      return RequestError::none;
    case CURLE_COULDNT_CONNECT:
    case CURLE_COULDNT_RESOLVE_HOST:
      return RequestError::connect;
    case CURLE_OPERATION_TIMEDOUT:
      return RequestError::timeout;
    case CURLE_PEER_FAILED_VERIFICATION:
    case CURLE_SSL_CACERT_BADFILE:
    case CURLE_SSL_ISSUER_ERROR:
      return RequestError::certificate;
    case CURLE_SSL_CONNECT_ERROR:
    case CURLE_USE_SSL_FAILED:
    case CURLE_UNSUPPORTED_PROTOCOL:
    case CURLE_HTTP2:
      return RequestError::protocol;
    case CURLE_PARTIAL_FILE:
    case CURLE_HTTP2_STREAM:
      return RequestError::truncated;
    case CURLE_WRITE_ERROR:
    case CURLE_BAD_CONTENT_ENCODING:
    case CURLE_WEIRD_SERVER_REPLY:
      return RequestError::malformed;
    default:
      return RequestError::reset;
  }
}

class CurlTransport : public HttpTransport {
 public:
  explicit CurlTransport(Address address) : address_(std::move(address)) {
    static std::once_flag once;
    std::call_once(once, [] { curl_global_init(CURL_GLOBAL_DEFAULT); });
    multi_.reset(curl_multi_init());
    if (!multi_)
      throw Error("requests can't be sent: libcurl does not start", "service", {}, Error::Code::measuring);
    curl_multi_setopt(multi_.get(), CURLMOPT_PIPELINING, CURLPIPE_NOTHING);
  }
  ~CurlTransport() override {
    for (std::size_t i = 0; i < slots_.size(); ++i) cancel(i);
    slots_.clear();
  }
  CurlTransport(const CurlTransport&) = delete;
  CurlTransport& operator=(const CurlTransport&) = delete;

  std::size_t open(std::size_t slots, std::size_t /*at_once*/) override {
    slots_.clear();
    slots_.resize(slots);
    curl_multi_setopt(multi_.get(), CURLMOPT_MAXCONNECTS, static_cast<long>(slots));
    std::size_t place = 0;
    for (auto& slot : slots_) {
      slot.place = place++;
      slot.handle.reset(curl_easy_init());
      if (!slot.handle) return slots;
      set_up(slot);
    }
    return 0;
  }

  void send(std::size_t at, const EncodedRequest& wire) override {
    auto& slot = slots_[at];
    slot.waiting = true;
    slot.body.clear();
    auto* handle = slot.handle.get();
    const auto& request = wire.request;
    set(handle, CURLOPT_URL, (origin() + request.path).c_str());
    set(handle, CURLOPT_NOBODY, wire.is_head ? 1L : 0L);
    const bool with_body = has_body(request);
    if (with_body) {
      set(handle, CURLOPT_POSTFIELDSIZE_LARGE, static_cast<curl_off_t>(request.body.size()));
      set(handle, CURLOPT_POSTFIELDS, request.body.c_str());
    } else if (!wire.is_head) {
      set(handle, CURLOPT_HTTPGET, 1L);
    }
    set(handle, CURLOPT_CUSTOMREQUEST, wire.is_head ? nullptr : request.method.c_str());
    curl_slist* headers = curl_slist_append(nullptr, "Expect:");
    if (with_body && !request.headers.contains("Content-Type"))
      headers = curl_slist_append(headers, "Content-Type:");
    for (const auto& [name, value] : request.headers)
      headers = curl_slist_append(headers, (name + (value.empty() ? ";" : ": " + value)).c_str());
    set(handle, CURLOPT_HTTPHEADER, headers);
    slot.headers.reset(headers);
    curl_multi_add_handle(multi_.get(), handle);
    int running = 0;
    curl_multi_perform(multi_.get(), &running);
  }

  std::span<Reply> wait(double until) override {
    replies_.clear();
    while (true) {
      int running = 0;
      curl_multi_perform(multi_.get(), &running);
      const double at = now();
      collect(at);
      if (!replies_.empty() || at >= until) return replies_;
      const double left = until - at;
      constexpr double longest = 1;
      const int milliseconds = static_cast<int>(std::floor(1000 * std::min(left, longest)));
      curl_multi_poll(multi_.get(), nullptr, 0, milliseconds, nullptr);
    }
  }

  void cancel(std::size_t at) override {
    auto& slot = slots_[at];
    if (!slot.waiting) return;
    slot.waiting = false;
    curl_multi_remove_handle(multi_.get(), slot.handle.get());
  }

  bool can_send(std::size_t /*slot*/) const override { return true; }
  std::size_t reopened() const override { return std::max(made_, slots_.size()) - slots_.size(); }
  double longest_connect() const override { return longest_connect_; }

 private:
  template <class Value>
  static void set(CURL* handle, CURLoption option, Value value) {
    curl_easy_setopt(handle, option, value);
  }

  std::string origin() const {
    return std::string(address_.tls ? "https" : "http") + "://localhost" +
           (address_.socket.empty() ? ":" + std::to_string(address_.port) : "");
  }

  void set_up(Transfer& slot) const {
    auto* handle = slot.handle.get();
    set(handle, CURLOPT_PRIVATE, static_cast<void*>(&slot));
    set(handle, CURLOPT_WRITEFUNCTION, &take_body);
    set(handle, CURLOPT_WRITEDATA, static_cast<void*>(&slot));
    set(handle, CURLOPT_NOSIGNAL, 1L);
    set(handle, CURLOPT_NOPROXY, "*");
    set(handle, CURLOPT_TCP_NODELAY, 1L);
    set(handle, CURLOPT_IPRESOLVE, static_cast<long>(CURL_IPRESOLVE_V4));
    if (!address_.socket.empty()) set(handle, CURLOPT_UNIX_SOCKET_PATH, address_.socket.c_str());
    set(handle, CURLOPT_HTTP_VERSION,
        static_cast<long>(address_.http_2 ? CURL_HTTP_VERSION_2TLS : CURL_HTTP_VERSION_1_1));
    if (address_.compressed) set(handle, CURLOPT_ACCEPT_ENCODING, "");
    const bool verifies = !address_.authority.empty();
    set(handle, CURLOPT_SSL_VERIFYPEER, verifies ? 1L : 0L);
    set(handle, CURLOPT_SSL_VERIFYHOST, verifies ? 2L : 0L);
    if (verifies) set(handle, CURLOPT_CAINFO, address_.authority.c_str());
  }

  /// The replies that have come.
  void collect(double at) {
    int left = 0;
    while (const auto* message = curl_multi_info_read(multi_.get(), &left)) {
      if (message->msg != CURLMSG_DONE) continue;
      auto* handle = message->easy_handle;
      const auto code = message->data.result;  // gone once the handle is taken out
      Transfer* slot = nullptr;
      curl_easy_getinfo(handle, CURLINFO_PRIVATE, &slot);
      long status = 0, version = 0, connections = 0;
      double connect = 0, handshake = 0;
      curl_easy_getinfo(handle, CURLINFO_RESPONSE_CODE, &status);
      curl_easy_getinfo(handle, CURLINFO_HTTP_VERSION, &version);
      curl_easy_getinfo(handle, CURLINFO_NUM_CONNECTS, &connections);
      curl_easy_getinfo(handle, CURLINFO_CONNECT_TIME, &connect);
      curl_easy_getinfo(handle, CURLINFO_APPCONNECT_TIME, &handshake);
      curl_multi_remove_handle(multi_.get(), handle);
      slot->waiting = false;
      made_ += static_cast<std::size_t>(connections);
      if (connections > 0) longest_connect_ = std::max({longest_connect_, connect, handshake});
      Reply reply{.slot = slot->place,
                  .at = at,
                  .error = fault_of(code),
                  .status = static_cast<int>(status),
                  .body = std::move(slot->body)};
      if (reply.error == RequestError::none && address_.http_2 && version != CURL_HTTP_VERSION_2_0)
        reply.error = RequestError::protocol;
      if (reply.error != RequestError::none) reply.status = 0;
      replies_.push_back(std::move(reply));
    }
  }

  Address address_;
  std::unique_ptr<CURLM, EndMulti> multi_;
  std::deque<Transfer> slots_;
  std::vector<Reply> replies_;
  std::size_t made_ = 0;  ///< connections
  double longest_connect_ = 0;
};

}  // namespace

std::unique_ptr<HttpTransport> curl_transport(const Address& address) {
  return std::make_unique<CurlTransport>(address);
}

}  // namespace assay::service
