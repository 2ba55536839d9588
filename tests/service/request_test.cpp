#include "assay/service/request.hpp"

#include <gmock/gmock.h>
#include <gtest/gtest.h>
#include <sys/stat.h>

#include "support/message.hpp"
#include "support/tool.hpp"

namespace assay::service {
namespace {

using test::message_of;
using test::Scratch;
using testing::HasSubstr;

TEST(Requests, OneForEachLine) {
  const Scratch scratch;
  scratch.file("body.txt", "from=3\n");
  const auto file =
      scratch.file("r.jsonl",
                   "{\"path\": \"/plan?from=1\"}\n\n"
                   "{\"path\": \"/plan\", \"body\": {\"from\": 3}, \"status\": 201, \"match\": \"route\"}\n"
                   "{\"path\": \"/plan\", \"method\": \"PUT\", \"body_file\": \"body.txt\", "
                   "\"headers\": {\"Accept\": \"text/plain\"}}\n");
  const auto requests = read_requests(file);
  ASSERT_EQ(requests.size(), 3U);
  EXPECT_EQ(requests[0], (Request{.path = "/plan?from=1"}));
  EXPECT_EQ(requests[1].method, "POST");
  EXPECT_EQ(requests[1].body, "{\"from\":3}");
  EXPECT_EQ(requests[1].headers.at("Content-Type"), "application/json");
  EXPECT_EQ(requests[1].status, 201);
  EXPECT_EQ(requests[2].body, "from=3\n");
}

TEST(Requests, RefusesUnsendableOnesWithTheirLine) {
  const Scratch scratch;
  const std::vector<std::pair<std::string, std::string>> cases = {
      {"{\"path\": \"plan\"}", "a path begins with /"},
      {"{\"path\": \"/a b\"}", "a path has no blanks"},
      {"{}", "\"path\" is missing"},
      {"[1]", "this is no JSON object"},
      {"{\"path\": \"/\", \"metod\": \"GET\"}", "did you mean \"method\"?"},
      {"{\"path\": \"/\", \"method\": \"get\"}", "\"get\" is no method"},
      {"{\"path\": \"/\", \"status\": 12}", "\"status\" is no status"},
      {"{\"path\": \"/\", \"match\": \"(\"}", "match is not a regular expression"},
      {"{\"path\": \"/\", \"headers\": {\"A\": \"b\\r\\nC: d\"}}", "header \"A\" can't be sent"},
      {"{\"path\": \"/\", \"body\": \"x\", \"body_file\": \"y\"}", "both body and body_file"},
      {"{\"path\": \"/\", \"body_file\": \"nowhere\"}", "can't be read"}};
  for (const auto& [line, problem] : cases) {
    const auto file = scratch.file("r.jsonl", "{\"path\": \"/\"}\n" + line + "\n");
    EXPECT_THAT(message_of([&] { read_requests(file); }),
                testing::AllOf(HasSubstr(problem), HasSubstr("r.jsonl:2")))
        << line;
  }
  EXPECT_THAT(message_of([&] { read_requests(scratch.file("e.jsonl", "\n")); }),
              HasSubstr("there is no request in it"));
}

TEST(OnTheWire, AddsHostAndLength) {
  EXPECT_EQ(on_the_wire({.path = "/a"}, "127.0.0.1:80"), "GET /a HTTP/1.1\r\nHost: 127.0.0.1:80\r\n\r\n");
  EXPECT_EQ(on_the_wire({.method = "POST", .path = "/a", .headers = {{"Host", "canal"}}, .body = "xyz"}, "h"),
            "POST /a HTTP/1.1\r\nHost: canal\r\nContent-Length: 3\r\n\r\nxyz");
}

TEST(Requests, WhatWouldMakeAnotherRequestOfItIsRefused) {
  const Scratch scratch;
  const auto says = [&](const std::string& line) {
    scratch.file("r.jsonl", line + "\n");
    return test::message_of([&] { read_requests(scratch.path("r.jsonl")); });
  };
  EXPECT_THAT(says(R"({"path": "/a", "headers": {"Content-Length": "9"}})"),
              testing::HasSubstr("follows from the body"));
  EXPECT_THAT(says(R"({"path": "/a", "headers": {"X Y": "9"}})"), testing::HasSubstr("no blank"));
  EXPECT_THAT(says(R"({"path": "/a", "headers": {"X": "9\u0000"}})"),
              testing::HasSubstr("control character"));
  EXPECT_THAT(says(R"({"path": "/a", "status": 4294967496})"), testing::HasSubstr("no status"));
  EXPECT_THAT(says(R"({"path": "/a", "body_file": "."})"), testing::HasSubstr("not a regular file"));
  EXPECT_THAT(says(R"({"path": "/a", "body_file": "/dev/zero"})"), testing::HasSubstr("not a regular file"));
  ASSERT_EQ(mkfifo(scratch.path("pipe").c_str(), 0600), 0);
  EXPECT_THAT(says(R"({"path": "/a", "body_file": "pipe"})"), testing::HasSubstr("not a regular file"));
}

}  // namespace
}  // namespace assay::service
