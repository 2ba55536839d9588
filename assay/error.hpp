#pragma once

/// What the library throws, and what it says about words that are unknown.

#include "assay/model/error.hpp"
#include "assay/model/own_files.hpp"
#include "assay/model/text.hpp"

namespace assay {

using model::DomainError;
using model::Error;

}  // namespace assay
