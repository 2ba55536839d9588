// What takes more than plain HTTP/1.1: TLS, HTTP/2, compression.

#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include "assay/measure/file_io.hpp"
#include "assay/measure/program_file.hpp"
#include "assay/service/http_transport.hpp"
#include "assay/service/load.hpp"
#include "assay/service/server.hpp"
#include "support/tool.hpp"

namespace assay::service {
namespace {

using test::Scratch;
using testing::HasSubstr;

class CurlTransport : public testing::Test {
 protected:
  void SetUp() override {
    for (const char* name : {"own", "other"}) {
      const auto made =
          test::run(scratch_, {measure::find_program("openssl", "."), "req", "-x509", "-newkey", "ec",
                               "-pkeyopt", "ec_paramgen_curve:prime256v1", "-nodes", "-days", "2", "-subj",
                               "/CN=localhost", "-addext", "subjectAltName=DNS:localhost", "-keyout",
                               scratch_.path(std::string(name) + ".key"), "-out", certificate(name)});
      ASSERT_EQ(made.status, 0) << made.err;
    }
  }

  std::string certificate(const std::string& name) const { return scratch_.path(name + ".pem"); }

  /// What a server of this mode replies to a few requests.
  std::vector<std::pair<RequestResult, std::string>> ask(const std::string& mode, Address address,
                                                         const std::vector<Request>& requests,
                                                         std::size_t count = 6) {
    address.port = measure::free_port();
    Server server(launcher_, {.command = {.program = measure::find_program("node", "."),
                                          .arguments = {"node", ASSAY_SOURCE "/tests/programs/serve.mjs",
                                                        std::to_string(address.port), mode,
                                                        scratch_.path("own.key"), certificate("own")}},
                              .address = address});
    if (const auto problem = server.start({})) ADD_FAILURE() << *problem;
    std::vector<std::pair<RequestResult, std::string>> replies;
    const auto carrier = curl_transport(address);
    EXPECT_EQ(carrier->open(2, 2), 0U);
    const auto wires = encode(requests, address);
    run_closed_loop(
        *carrier, {.requests = wires, .first = 0, .count = count, .slots = 2},
        [&](const RequestResult& sent, const std::string& body) { replies.emplace_back(sent, body); }, {});
    if (replies.size() > 1) {
      EXPECT_EQ(carrier->reopened(), 0U) << "connections are kept";
      EXPECT_GT(carrier->longest_connect(), 0);
    }
    server.stop({});
    return replies;
  }

  Scratch scratch_;
  measure::Launcher launcher_;
};

const std::vector<Request> orders = {{.path = "/locks"},
                                     {.method = "POST", .path = "/plan", .body = "from 3"}};

TEST_F(CurlTransport, SpeaksTlsHttp2AndCompression) {
  for (const auto& [mode, address, version] :
       {std::tuple{"tls", Address{.tls = true, .authority = certificate("own")}, "1.1"},
        {"h2", Address{.tls = true, .http_2 = true}, "2.0"},
        {"gzip", Address{.compressed = true}, "1.1"}}) {
    const auto replies = ask(mode, address, orders);
    ASSERT_EQ(replies.size(), 6U) << mode;
    for (const auto& [sent, body] : replies) {
      EXPECT_EQ(sent.error, RequestError::none) << mode << ": " << to_string(sent.error);
      EXPECT_EQ(sent.status, 200);
      EXPECT_GT(sent.latency, 0);
      EXPECT_EQ(body, (sent.request == 0 ? std::string("GET /locks ") : "POST /plan from 3") + " by HTTP/" +
                          version);
    }
  }
}

TEST_F(CurlTransport, TellsAWrongCertificateAndAnotherProtocol) {
  const auto wrong = ask("tls", {.tls = true, .authority = certificate("other")}, orders, 1);
  EXPECT_EQ(wrong.at(0).first.error, RequestError::certificate);
  EXPECT_EQ(ask("tls", {.tls = true, .http_2 = true}, orders, 1).at(0).first.error, RequestError::protocol);
  EXPECT_EQ(ask("gzip", {.tls = true}, orders, 1).at(0).first.error, RequestError::protocol);
}

TEST_F(CurlTransport, TellsAServerThatIsNotThere) {
  const Address address{.port = measure::free_port(), .tls = true};
  const auto carrier = curl_transport(address);
  carrier->open(1, 1);
  const auto wires = encode(orders, address);
  std::vector<RequestError> faults;
  run_closed_loop(*carrier, {.requests = wires, .first = 0, .count = 1, .slots = 1},
                  [&](const RequestResult& sent, const std::string&) { faults.push_back(sent.error); }, {});
  EXPECT_EQ(faults, std::vector{RequestError::connect});
}

}  // namespace
}  // namespace assay::service
