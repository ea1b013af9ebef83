// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <string>

#include "solve/bundle/bundle.h"

namespace va::test {

/// Reads a "Bundle Adjustment in the Large" problem (bzip2) into our form. Its camera looks down −z with y up and
/// writes p = −P.xy / P.z; half a turn about x brings that to ours, with picture y negated.
BundleProblem readBal(const std::string& file);

}  // namespace va::test
