#pragma once

#include "assay/model/evidence.hpp"
#include "assay/model/findings.hpp"

namespace assay::judge {

/// What the values themselves show of watched metrics, each note with its figure and threshold: trials
/// shorter than 5 ms; effects of neighbouring rounds correlated above 0.3 (from 20 rounds on, Ljung–Box p
/// below 1 %); values at a suspected upper limit on both sides (more than half within 0.1 % of the top, where
/// a `same` becomes unclear); a drift of more than 5 % (Mann–Kendall p below 1 %); several modes (dip test p
/// below 1 %, from 20 rounds on); more than 5 % of the values far out (three interquartile ranges); what runs
/// first in a round differs by more than the margin (Mann–Whitney p below 1 %); the first run differs by more
/// than 10 %. p-values of one kind are Benjamini–Hochberg adjusted over the cells; the worst cell is named
/// and the others counted. Of long series 400 values, evenly taken, are looked at.
void add_series_notes(const Observations& evidence, Findings& findings);

}  // namespace assay::judge
