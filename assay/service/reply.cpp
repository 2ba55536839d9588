#include "assay/service/reply.hpp"

namespace assay::inline v1::service {

std::string to_string(Fault fault) {
  switch (fault) {
    case Fault::none:
      return "answered";
    case Fault::connect:
      return "no connection could be had";
    case Fault::timeout:
      return "no reply came in time";
    case Fault::reset:
      return "the connection ended before a reply came";
    case Fault::truncated:
      return "the reply was cut short";
    case Fault::malformed:
      return "the reply is no HTTP";
    case Fault::certificate:
      return "the server's certificate is not signed by the authority that the plan names, or not for "
             "localhost";
    case Fault::protocol:
      return "the server does not speak what the plan asks for (tls, protocol)";
  }
  return {};
}

}  // namespace assay::inline v1::service
