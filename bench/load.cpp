// What driving requests costs beside a bare loop over the same sockets: bench_load PORT [PATH], against a
// server that listens there and replies with a Content-Length.

#include "assay/service/load.hpp"

#include <arpa/inet.h>
#include <fmt/format.h>
#include <netinet/in.h>
#include <netinet/tcp.h>
#include <sys/epoll.h>
#include <sys/socket.h>
#include <unistd.h>

#include <algorithm>
#include <array>
#include <cstdlib>
#include <ctime>
#include <string>
#include <vector>

#include "assay/service/http_transport.hpp"
#include "assay/stats/location.hpp"

namespace {

using namespace assay;

struct Cost {
  double cpu = 0, rate = 0, p50 = 0;
};

double thread_cpu() {
  timespec used{};
  clock_gettime(CLOCK_THREAD_CPUTIME_ID, &used);
  return static_cast<double>(used.tv_sec) + 1e-9 * static_cast<double>(used.tv_nsec);
}

/// Sends, waits, counts bytes, and nothing else.
Cost bare(int port, const std::string& request, std::size_t clients, std::size_t count) {
  struct Connection {
    int socket = -1;
    std::string got;
    double since = 0;
  };
  std::vector<Connection> connections(clients);
  const int poll = epoll_create1(0);
  for (std::size_t i = 0; i < clients; ++i) {
    connections[i].socket = socket(AF_INET, SOCK_STREAM, 0);
    sockaddr_in address{};
    address.sin_family = AF_INET;
    address.sin_port = htons(static_cast<std::uint16_t>(port));
    address.sin_addr.s_addr = htonl(INADDR_LOOPBACK);
    if (connect(connections[i].socket, reinterpret_cast<sockaddr*>(&address), sizeof address) != 0)
      std::exit(1);
    const int on = 1;
    setsockopt(connections[i].socket, IPPROTO_TCP, TCP_NODELAY, &on, sizeof on);
    epoll_event event{};
    event.events = EPOLLIN;
    event.data.u64 = i;
    epoll_ctl(poll, EPOLL_CTL_ADD, connections[i].socket, &event);
  }
  std::vector<double> latencies;
  std::size_t sent = 0, whole = 0;
  const auto send_on = [&](Connection& c) {
    c.since = service::now();
    (void)!send(c.socket, request.data(), request.size(), 0);
    ++sent;
  };
  const double cpu = thread_cpu(), start = service::now();
  for (auto& c : connections) send_on(c);
  std::array<epoll_event, 256> events{};
  std::array<char, 65536> piece{};
  while (latencies.size() < count) {
    const int ready = epoll_wait(poll, events.data(), events.size(), 1000);
    const double at = service::now();
    for (int i = 0; i < ready; ++i) {
      auto& c = connections[events[static_cast<std::size_t>(i)].data.u64];
      const auto got = recv(c.socket, piece.data(), piece.size(), 0);
      if (got <= 0) std::exit(1);
      c.got.append(piece.data(), static_cast<std::size_t>(got));
      if (whole == 0) {
        const auto end = c.got.find("\r\n\r\n"), length = c.got.find("Content-Length: ");
        if (end == std::string::npos || length == std::string::npos) continue;
        whole = end + 4 + std::strtoul(c.got.c_str() + length + 16, nullptr, 10);
      }
      if (c.got.size() < whole) continue;
      c.got.clear();
      latencies.push_back(at - c.since);
      if (sent < count) send_on(c);
    }
  }
  const Cost cost{(thread_cpu() - cpu) / static_cast<double>(count),
                  static_cast<double>(count) / (service::now() - start), stats::median(latencies)};
  for (auto& c : connections) close(c.socket);
  close(poll);
  return cost;
}

Cost ours(int port, const std::string& path, std::size_t clients, std::size_t count) {
  const service::Address address{.port = port, .socket = {}};
  const auto carrier = service::socket_transport(address);
  carrier->open(clients, clients);
  const auto wires = service::encode(std::vector{service::Request{.path = path}}, address);
  const double cpu = thread_cpu();
  const auto stretch =
      service::run_closed_loop(*carrier, {.requests = wires, .first = 0, .count = count, .slots = clients},
                               [](const service::RequestResult&, const std::string&) {}, {});
  const double used = (thread_cpu() - cpu) / static_cast<double>(count);
  std::vector<double> latencies;
  for (const auto& sent : stretch.sent) latencies.push_back(sent.latency);
  return {used, static_cast<double>(count) / stretch.seconds, stats::median(latencies)};
}

}  // namespace

int main(int argc, char** argv) {
  if (argc < 2) {
    fmt::print("usage: bench_load PORT [PATH]\n");
    return 2;
  }
  const int port = std::atoi(argv[1]);
  const std::string path = argc > 2 ? argv[2] : "/";
  const auto request = service::on_the_wire({.path = path}, "127.0.0.1:" + std::to_string(port));
  constexpr std::size_t count = 10000;
  constexpr int rounds = 11;
  fmt::print("medians of {} rounds of {} requests, ours / bare\nclients  CPU a request    rate     p50\n",
             rounds, count);
  for (const std::size_t clients : {1U, 8U, 64U}) {
    std::vector<double> cpu, rate, p50;
    for (int round = 0; round < rounds; ++round) {
      const bool first = round % 2 == 0;
      const auto one = first ? bare(port, request, clients, count) : ours(port, path, clients, count);
      const auto two = first ? ours(port, path, clients, count) : bare(port, request, clients, count);
      const auto &its = first ? one : two, &own = first ? two : one;
      cpu.push_back(own.cpu / its.cpu);
      rate.push_back(own.rate / its.rate);
      p50.push_back(own.p50 / its.p50);
    }
    fmt::print("{:>7} {:>14.2f} {:>8.2f} {:>7.2f}\n", clients, stats::median(cpu), stats::median(rate),
               stats::median(p50));
  }
  return 0;
}
