#pragma once

#include <poll.h>
#include <sys/socket.h>
#include <sys/un.h>
#include <unistd.h>

#include <atomic>
#include <csignal>
#include <map>
#include <mutex>
#include <stdexcept>
#include <stop_token>
#include <string>
#include <thread>
#include <vector>

namespace assay::test {

/// Between clients and a PostgreSQL server; at the n-th message of the clients, counted together, the connection is cut, or
/// the client is killed.
class Cutting {
 public:
  enum class What {
    message,  ///< the connection, before the server gets it
    answer,   ///< the connection, after the server has answered it
    client    ///< the client gets SIGKILL before the server gets it
  };

  /// `folder` gets the socket; `place`: the server's database, as `--ledger` names it.
  Cutting(const std::string& folder, const std::string& place, int at, What what) : at_(at), what_(what) {
    const auto host = place.find("host=") + 5, user = place.find("&user");
    server_ = place.substr(host, user - host) + "/.s.PGSQL.5432";
    place_ = place.substr(0, host) + folder + "&user=owner";
    path_ = folder + "/.s.PGSQL.5432";
    listener_ = socket(AF_UNIX, SOCK_STREAM | SOCK_CLOEXEC, 0);
    const auto address = address_of(path_);
    if (bind(listener_, reinterpret_cast<const sockaddr*>(&address), sizeof address) != 0)
      throw std::runtime_error(path_);
    listen(listener_, 4);
    thread_ = std::jthread([this](const std::stop_token& stop) { serve(stop); });
  }
  ~Cutting() {
    thread_.request_stop();
    thread_.join();
    connections_.clear();
    end_stranded();
    close(listener_);
    unlink(path_.c_str());
  }
  Cutting(const Cutting&) = delete;
  Cutting& operator=(const Cutting&) = delete;

  /// The same database by way of this.
  const std::string& place() const { return place_; }
  bool has_cut() const { return has_cut_; }
  int messages() const { return messages_; }
  /// Ends all connections for the client, and keeps those to the server open, as a link does that is pulled.
  void pull_link() {
    const int before = pulled_++;
    const auto is_over = [&] {
      const std::lock_guard guard(mutex_);
      return open_[before] == 0;
    };
    while (!is_over()) usleep(1000);
  }
  /// The server too learns that they are dead.
  void end_stranded() {
    const std::lock_guard guard(mutex_);
    for (const int server : stranded_) close(server);
    stranded_.clear();
  }
  /// Whom What::client kills: it is waited for until this is known.
  void set_client(pid_t client) { client_ = client; }

 private:
  static sockaddr_un address_of(const std::string& path) {
    sockaddr_un address{};
    address.sun_family = AF_UNIX;
    path.copy(address.sun_path, sizeof address.sun_path - 1);
    return address;
  }

  void serve(const std::stop_token& stop) {
    while (!stop.stop_requested()) {
      pollfd waiting{listener_, POLLIN, 0};
      if (poll(&waiting, 1, 10) <= 0) continue;
      const int client = accept4(listener_, nullptr, nullptr, SOCK_CLOEXEC),
                server = socket(AF_UNIX, SOCK_STREAM | SOCK_CLOEXEC, 0);
      const int pulled = pulled_;
      {
        const std::lock_guard guard(mutex_);
        ++open_[pulled];
      }
      connections_.emplace_back([this, stop, client, server, pulled] {
        const auto address = address_of(server_);
        if (connect(server, reinterpret_cast<const sockaddr*>(&address), sizeof address) == 0)
          while (!stop.stop_requested() && pulled == pulled_ && pass(client, server)) {
          }
        close(client);
        const std::lock_guard guard(mutex_);
        if (pulled == pulled_)
          close(server);
        else
          stranded_.push_back(server);
        --open_[pulled];
      });
    }
  }

  bool pass(int client, int server) {
    pollfd both[] = {{client, POLLIN, 0}, {server, POLLIN, 0}};
    if (poll(both, 2, 10) <= 0) return true;
    char bytes[65536];
    if (both[0].revents != 0) {
      const auto got = read(client, bytes, sizeof bytes);
      if (got <= 0) return false;
      const bool now = ++messages_ == at_;
      if (now && what_ == What::client) {
        while (client_ == 0) usleep(1000);
        kill(client_, SIGKILL);
      }
      if (now && what_ != What::answer) return !(has_cut_ = true);
      if (write(server, bytes, static_cast<std::size_t>(got)) != got) return false;
      if (now) {
        has_cut_ = true;
        return read(server, bytes, sizeof bytes) < 0;  // its answer, which nobody gets
      }
    }
    if (both[1].revents != 0) {
      const auto got = read(server, bytes, sizeof bytes);
      if (got <= 0 || write(client, bytes, static_cast<std::size_t>(got)) != got) return false;
    }
    return true;
  }

  std::string path_, server_, place_;
  int at_, listener_ = -1;
  What what_;
  std::atomic<int> messages_ = 0;
  std::atomic<pid_t> client_ = 0;
  std::atomic<int> pulled_ = 0;
  std::mutex mutex_;
  std::map<int, int> open_;    ///< connections, by how often the link had been pulled
  std::vector<int> stranded_;  ///< to the server, of connections whose link was pulled
  std::atomic<bool> has_cut_ = false;
  std::vector<std::jthread> connections_;  ///< of the client, in threads of their own
  std::jthread thread_;
};

}  // namespace assay::test
