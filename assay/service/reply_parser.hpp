#pragma once

#include <algorithm>
#include <boost/beast/http/basic_parser.hpp>
#include <cstddef>
#include <cstdint>
#include <string>
#include <utility>

namespace assay::service {

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

}  // namespace assay::service
