#include "assay/app/run_command.hpp"

#include "assay/measure/find_program.hpp"
#include "assay/measure/process.hpp"
#include "assay/model/error.hpp"

namespace assay::app {

void run_command(const std::vector<std::string>& command, const std::string& what,
                 const std::string& folder) {
  measure::Launcher launcher;
  const auto result =
      launcher.run({.program = measure::find_program(command.front(), "."), .arguments = command});
  if (result.not_started || result.exit_status != 0 || result.signal != 0)
    throw Error(
        what + " could not be made: " + (result.not_started ? *result.not_started : result.err->tail(500)),
        folder);
}

}  // namespace assay::app
