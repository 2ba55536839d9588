#pragma once

#include <string>

namespace CLI {
class App;
class Error;
}  // namespace CLI

namespace assay::inline v1::program {

/// What is wrong with the arguments, with the near miss of an unknown one, and where to read on; a line. For
/// CLI::App::failure_message of the outermost app.
std::string refusal(const CLI::App* app, const CLI::Error& error);

}  // namespace assay::inline v1::program
