#pragma once

#include <string>

namespace CLI {
class App;
class Error;
}  // namespace CLI

namespace assay::program {

/// What is wrong with the arguments, with the near miss of an unknown one, and where to read on; a line. For
/// CLI::App::failure_message of the outermost app.
std::string argument_error(const CLI::App* app, const CLI::Error& error);

}  // namespace assay::program
