#pragma once

/// Tests and estimates of two independent samples.

#include "assay/stats/distance.hpp"
#include "assay/stats/rank_sum.hpp"
#include "assay/stats/shift.hpp"
#include "assay/stats/unequal.hpp"
