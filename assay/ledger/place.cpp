#include "assay/ledger/place.hpp"

#include <libpq-fe.h>

#include <cstdlib>
#include <filesystem>
#include <memory>
#include <string_view>

#include "assay/model/error.hpp"

namespace assay::ledger {

namespace {

constexpr std::string_view service = "service=";

bool means_database(const std::string& text) {
  return text.starts_with(service) || text.starts_with("postgresql:") || text.starts_with("postgres:");
}

std::string option_value(const PQconninfoOption* options, std::string_view keyword) {
  for (; options->keyword != nullptr; ++options)
    if (keyword == options->keyword && options->val != nullptr) return options->val;
  return {};
}

}  // namespace

Place Place::of(const std::string& text) {
  Place place;
  place.text_ = place.shown_ = text;
  place.is_database_ = means_database(text);
  if (!place.is_database_) return place;
  char* problem = nullptr;
  const std::unique_ptr<PQconninfoOption, void (*)(PQconninfoOption*)> parts(
      PQconninfoParse(text.c_str(), &problem), PQconninfoFree);
  const std::unique_ptr<char, void (*)(void*)> text_of_problem(problem, PQfreemem);
  constexpr const char* how = "write service=NAME, or postgresql://HOST/DATABASE";
  if (!parts) {
    // libpq's words repeat the text, and with it what may be a password.
    throw Error("this names no database", text.substr(0, text.find(':')), how);
  }
  if (!option_value(parts.get(), "password").empty())
    throw Error("a password does not belong here: others can see it", "--ledger",
                "put it into ~/.pgpass, or name a service that has it: service=NAME");
  if (text.starts_with(service)) {
    if (text.find_first_of(" \t'\\") != std::string::npos)
      throw Error("this names no service", text, "put all else into ~/.pg_service.conf");
    return place;
  }
  const auto host = option_value(parts.get(), "host"), port = option_value(parts.get(), "port"),
             database = option_value(parts.get(), "dbname");
  place.shown_ = "postgresql://" + host + (port.empty() ? "" : ":" + port) + "/" + database;
  return place;
}

bool Place::is_there() const {
  std::error_code failed;
  return is_database_ || (!text_.empty() && std::filesystem::exists(text_, failed));
}

std::string Place::folder() const {
  return is_database_ ? std::string() : std::filesystem::path(text_).parent_path().string();
}

const std::string& take_password() {
  static const std::string password = [] {
    const char* given = std::getenv("PGPASSWORD");
    std::string taken = given == nullptr ? "" : given;
    unsetenv("PGPASSWORD");
    return taken;
  }();
  return password;
}

}  // namespace assay::ledger
