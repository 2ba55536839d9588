#pragma once

#include <string>

#include "assay/model/error.hpp"

namespace CLI {
class App;
class Error;
}  // namespace CLI

namespace assay::app {

/// What is wrong with the arguments, with the near miss of an unknown one, and where to read on; a line. For
/// CLI::App::failure_message of the outermost app.
std::string argument_error(const CLI::App* app, const CLI::Error& error);

/// An error of the library as the tool prints it: a field of the caller's is an option here.
std::string error_text(const Error& error);

}  // namespace assay::app
