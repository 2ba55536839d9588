#include "assay/campaign/who_is.hpp"

#include <string_view>

#include "assay/campaign/service_life.hpp"
#include "assay/campaign/staging.hpp"
#include "assay/measure/program.hpp"
#include "assay/model/printable.hpp"

namespace assay::inline v1::campaign {
namespace {

CellState said(std::string_view text) {
  constexpr std::size_t most = 100;
  return {Standing::sound, printable_line(text.substr(0, text.find('\n')), most)};
}

}  // namespace

CellState who_is(const std::vector<std::string>& identify, const std::string& folder,
                 measure::Launcher& launcher, const std::stop_token& stop) {
  constexpr double patience = 30;
  const measure::Command command{.program = measure::find_program(identify.front(), folder),
                                 .arguments = identify,
                                 .directory = folder,
                                 .timeout = patience};
  const auto result = launcher.run(command, stop);
  if (result.not_started) return {Standing::failed, "can't be asked who it is: " + *result.not_started};
  if (result.interrupted) return {Standing::sound, {}};
  if (result.exit_status == not_here)
    return {Standing::absent, "says that it does not support this (identify ended with exit status " +
                                  std::to_string(not_here) + ")"};
  if (result.timed_out || result.signal != 0 || result.exit_status != 0)
    return {Standing::failed, "fails when asked who it is (identify)" + last_words(result)};
  return said(result.out->head());
}

CellState who_serves(const ServiceCell& cell, const std::string& path, measure::Launcher& launcher,
                     const std::stop_token& stop) {
  ServiceLife life({}, cell, launcher, Role::check);
  service::Reply reply;
  const bool up = life.begin(1, stop);
  if (up) reply = life.ask(path, stop);
  life.end(stop);
  if (stop.stop_requested()) return {Standing::sound, {}};
  if (!up) {
    const bool absent = says_not_here(life.trial());
    return {absent ? Standing::absent : Standing::failed, life.trial().detail};
  }
  constexpr int ok = 200;
  if (reply.fault != service::Fault::none || reply.status != ok)
    return {Standing::failed,
            "can't be asked who it is: GET " + path + ": " +
                (reply.fault != service::Fault::none ? to_string(reply.fault)
                                                     : "status " + std::to_string(reply.status))};
  return said(reply.body);
}

}  // namespace assay::inline v1::campaign
