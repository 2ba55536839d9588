#pragma once

/// What the library throws.

#include "assay/model/error.hpp"
