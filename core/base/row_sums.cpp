// SPDX-License-Identifier: GPL-3.0-or-later
#include "base/row_sums.h"

#include <cmath>

#include "base/cpu_clones.h"

namespace va {

VA_CPU_CLONES float sumOfDifferences(const float* a, const float* b, int n) {
    float sum = 0;
    for (int x = 0; x < n; ++x) sum += std::fabs(a[x] - b[x]);
    return sum;
}

VA_CPU_CLONES void combSums(const float* row, const float* before, const float* up1, const float* down1,
                            const float* up2, const float* down2, int n, float least, float& near, float& far) {
    float sum1 = 0, sum2 = 0;
    for (int x = 0; x < n; ++x) {
        const float moved = std::fabs(row[x] - before[x]) >= least ? 1.0f : 0.0f;
        sum1 += moved * std::fabs(row[x] - 0.5f * (up1[x] + down1[x]));
        sum2 += moved * std::fabs(row[x] - 0.5f * (up2[x] + down2[x]));
    }
    near = sum1;
    far = sum2;
}

}  // namespace va
