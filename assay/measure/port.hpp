#pragma once

namespace assay::measure {

/// A TCP port of the loopback interface on which nothing listened a moment ago, chosen by the kernel. Another
/// program may take it before it is used. Throws Error(measuring) when there is none.
int free_port();

}  // namespace assay::measure
