// A small HTTP server that behaves as it is told: serve PORT|PATH MODE [NUMBER]
//
// plain: replies with what it was asked, keeps connections; chunked: in chunks; bytewise: a byte at a time;
// eof: bodies end with the connection; interim: says 100 first.
// work N: N turns of a loop before each reply; closing N: the same, and ends each connection after it.
// numbered: counts its replies in them; wrong N: other bodies from its Nth reply on.
// failing N: status 503 at every Nth request; dies N: ends at its Nth; murders N: kills its parent at its Nth; stall N: stops for N ms at its 50th;
// truncated, reset, garbage, mute: at every request.
// never: does not listen; late N: listens after N ms; deaf: does not end when asked to; absent: ends with
// status 77; sharing: shares its port.
#include <netinet/in.h>
#include <sys/socket.h>
#include <sys/un.h>
#include <unistd.h>

#include <atomic>
#include <chrono>
#include <csignal>
#include <cstdlib>
#include <cstring>
#include <iostream>
#include <string>
#include <thread>

namespace {

std::string mode;
long number = 0;
std::atomic<long> asked{0};

void put(int to, const std::string& text) {
  if (mode != "bytewise") {
    (void)!send(to, text.data(), text.size(), MSG_NOSIGNAL);
    return;
  }
  for (const char c : text) {
    (void)!send(to, &c, 1, MSG_NOSIGNAL);
    std::this_thread::sleep_for(std::chrono::microseconds(50));
  }
}

std::string header(const std::string& request, const std::string& name) {
  const auto at = request.find("\r\n" + name + ": ");
  if (at == std::string::npos) return {};
  const auto from = at + name.size() + 4;
  return request.substr(from, request.find("\r\n", from) - from);
}

/// False when the connection is over.
bool reply(int to, const std::string& head, const std::string& sent) {
  const long place = ++asked;
  if (mode == "dies" && place >= number) _exit(3);
  if (mode == "murders" && place >= number) kill(getppid(), SIGKILL);
  if (mode == "reset" || mode == "mute") {
    if (mode == "mute") std::this_thread::sleep_for(std::chrono::seconds(30));
    return false;
  }
  if (mode == "garbage") return put(to, "what?\r\n\r\n"), false;
  if (mode == "stall" && place == 50) std::this_thread::sleep_for(std::chrono::milliseconds(number));
  if (mode == "work" || mode == "closing")
    for (volatile long i = 0; i < number;) i = i + 1;
  auto body = head.substr(0, head.find(" HTTP/")) + (sent.empty() ? "" : " with " + sent);
  if (mode == "numbered") body += " as number " + std::to_string(place);
  if (mode == "wrong" && place >= number) body += " or so";
  const bool failing = mode == "failing" && place % number == 0;
  const bool is_head = head.starts_with("HEAD");
  std::string text = failing ? "HTTP/1.1 503 Busy\r\n" : "HTTP/1.1 200 OK\r\n";
  if (mode == "interim") text = "HTTP/1.1 100 Continue\r\n\r\n" + text;
  if (mode == "closing" || mode == "eof") text += "Connection: close\r\n";
  if (mode == "chunked") {
    text += "Transfer-Encoding: chunked\r\n\r\n";
    for (const char c : body) text += std::string("1\r\n") + c + "\r\n";
    text += "0\r\n\r\n";
  } else if (mode == "eof") {
    text += "\r\n" + body;
  } else {
    text += "Content-Length: " + std::to_string(body.size() + (mode == "truncated" ? 10 : 0)) + "\r\n\r\n";
    if (!is_head) text += body;
  }
  put(to, text);
  return mode != "closing" && mode != "eof" && mode != "truncated";
}

void serve(int connection) {
  std::string got;
  char piece[4096];
  while (true) {
    const auto end = got.find("\r\n\r\n");
    if (end == std::string::npos) {
      const auto count = recv(connection, piece, sizeof piece, 0);
      if (count <= 0) break;
      got.append(piece, static_cast<std::size_t>(count));
      continue;
    }
    const auto head = got.substr(0, end + 2);
    const auto length = std::strtoul(header(head, "Content-Length").c_str(), nullptr, 10);
    while (got.size() < end + 4 + length) {
      const auto count = recv(connection, piece, sizeof piece, 0);
      if (count <= 0) break;
      got.append(piece, static_cast<std::size_t>(count));
    }
    const auto sent = got.substr(end + 4, length);
    got.erase(0, end + 4 + length);
    if (!reply(connection, head, sent)) break;
  }
  close(connection);
}

int listen_at(const std::string& where) {
  const bool local = where.find('/') != std::string::npos;
  const int listener = socket(local ? AF_UNIX : AF_INET, SOCK_STREAM, 0);
  sockaddr_un name{};
  sockaddr_in address{};
  name.sun_family = AF_UNIX;
  std::strncpy(name.sun_path, where.c_str(), sizeof name.sun_path - 1);
  address.sin_family = AF_INET;
  address.sin_addr.s_addr = htonl(INADDR_LOOPBACK);
  address.sin_port = htons(static_cast<std::uint16_t>(std::atoi(where.c_str())));
  const int on = 1;
  setsockopt(listener, SOL_SOCKET, SO_REUSEADDR, &on, sizeof on);
  if (mode == "sharing") setsockopt(listener, SOL_SOCKET, SO_REUSEPORT, &on, sizeof on);
  const auto* to =
      local ? reinterpret_cast<const sockaddr*>(&name) : reinterpret_cast<const sockaddr*>(&address);
  if (bind(listener, to, local ? sizeof name : sizeof address) != 0 || listen(listener, 64) != 0) {
    std::cerr << "can't listen at " << where << std::endl;
    std::exit(4);
  }
  return listener;
}

}  // namespace

int main(int argc, char** argv) {
  mode = argc > 2 ? argv[2] : "plain";
  number = argc > 3 ? std::atol(argv[3]) : 0;
  if (mode == "absent") return 77;
  if (mode == "deaf") std::signal(SIGTERM, SIG_IGN);
  if (mode == "never") {
    std::cerr << "looking for the lock-keeper" << std::endl;
    std::this_thread::sleep_for(std::chrono::seconds(60));
  }
  if (mode == "late") std::this_thread::sleep_for(std::chrono::milliseconds(number));
  const int listener = listen_at(argc > 1 ? argv[1] : "0");
  std::cerr << "listening" << std::endl;
  while (true) {
    const int connection = accept(listener, nullptr, nullptr);
    if (connection >= 0) std::thread(serve, connection).detach();
  }
}
