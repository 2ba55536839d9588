#include <string_view>

#include "assay/measure/program_file.hpp"
#include "assay/model/text.hpp"
#include "assay/runners/server_session.hpp"
#include "assay/runners/trial_environment.hpp"
#include "assay/setup/prepare.hpp"

namespace assay::setup {
namespace {

CellStatus identified(std::string_view text) {
  constexpr std::size_t most = 100;
  return {StatusCode::ok, printable_line(text.substr(0, text.find('\n')), most)};
}

}  // namespace

CellStatus query_identity(const std::vector<std::string>& identify, const std::string& folder,
                          measure::Launcher& launcher, const std::stop_token& stop) {
  constexpr double patience = 30;
  const measure::Command command{.program = measure::find_program(identify.front(), folder),
                                 .arguments = identify,
                                 .directory = folder,
                                 .timeout = patience};
  const auto result = launcher.run(command, stop);
  if (result.not_started)
    return {StatusCode::failed, "its identify command can't be started: " + *result.not_started};
  if (result.interrupted) return {StatusCode::ok, {}};
  if (result.exit_status == runners::not_here)
    return {StatusCode::unsupported, "says that it does not support this (identify ended with exit status " +
                                         std::to_string(runners::not_here) + ")"};
  if (result.timed_out || result.signal != 0 || result.exit_status != 0)
    return {StatusCode::failed, "its identify command failed" + runners::stderr_tail(result)};
  return identified(result.out->head());
}

CellStatus query_server_identity(const runners::ServerCell& cell, const std::string& path,
                                 measure::Launcher& launcher, const std::stop_token& stop) {
  runners::ServerSession life({}, cell, launcher, Role::check);
  service::Reply reply;
  const bool up = life.start(1, stop);
  if (up) reply = life.get(path, stop);
  life.end(stop);
  if (stop.stop_requested()) return {StatusCode::ok, {}};
  if (!up) {
    const bool absent = runners::mark_unsupported(life.trial());
    return {absent ? StatusCode::unsupported : StatusCode::failed, life.trial().detail};
  }
  constexpr int ok = 200;
  if (reply.error != service::RequestError::none || reply.status != ok)
    return {StatusCode::failed,
            "it can't be identified: GET " + path + ": " +
                (reply.error != service::RequestError::none ? to_string(reply.error)
                                                            : "status " + std::to_string(reply.status))};
  return identified(reply.body);
}

}  // namespace assay::setup
