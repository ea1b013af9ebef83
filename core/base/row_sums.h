// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

namespace va {

/// Σ |a − b| over n values; summed in single precision, so n is a picture row at most.
float sumOfDifferences(const float* a, const float* b, int n);

/// Over the values of `row` that differ from `before` by at least `least`: Σ |row − mean of `up1` and `down1`| into
/// `near` and the same for `up2` and `down2` into `far`.
void combSums(const float* row, const float* before, const float* up1, const float* down1, const float* up2,
              const float* down2, int n, float least, float& near, float& far);

}  // namespace va
