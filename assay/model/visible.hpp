#pragma once

/// The library's modules use the names of its model without `model::`. Users of the library have those that
/// the headers in assay/ name.
namespace assay {
namespace model {}
namespace app {
using namespace model;
}
namespace build {
using namespace model;
}
namespace check {
using namespace model;
}
namespace cli {
using namespace model;
}
namespace codec {
using namespace model;
}
namespace contest {
using namespace model;
}
namespace engine {
using namespace model;
}
namespace history {
using namespace model;
}
namespace import_export {
using namespace model;
}
namespace judge {
using namespace model;
}
namespace ledger {
using namespace model;
}
namespace measure {
using namespace model;
}
namespace metrics {
using namespace model;
}
namespace places {
using namespace model;
}
namespace plan {
using namespace model;
}
namespace relink {
using namespace model;
}
namespace render {
using namespace model;
}
namespace report {
using namespace model;
}
namespace runners {
using namespace model;
}
namespace schedule {
using namespace model;
}
namespace service {
using namespace model;
}
namespace setup {
using namespace model;
}
namespace stats {
using namespace model;
}
}  // namespace assay
