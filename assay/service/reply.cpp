#include "assay/service/reply.hpp"

namespace assay::service {

std::string to_string(RequestError fault) {
  switch (fault) {
    case RequestError::none:
      return "answered";
    case RequestError::connect:
      return "no connection could be had";
    case RequestError::timeout:
      return "no reply came in time";
    case RequestError::reset:
      return "the connection ended before a reply came";
    case RequestError::truncated:
      return "the reply was cut short";
    case RequestError::malformed:
      return "the reply is no HTTP";
    case RequestError::certificate:
      return "the server's certificate is not signed by the authority that the plan names, or not for "
             "localhost";
    case RequestError::protocol:
      return "the server does not speak what the plan asks for (tls, protocol)";
  }
  return {};
}

}  // namespace assay::service
