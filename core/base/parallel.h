// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <functional>

namespace va {

/// Calls `body(begin, end)` for consecutive pieces of 0..count on the shared thread pool and waits for all of them.
/// Pieces are at least `grain` long. An exception of a piece is rethrown here. Results must not depend on how the range
/// is cut: give every index its own output.
void parallelRanges(int count, int grain, const std::function<void(int begin, int end)>& body);

/// How many threads the pool uses.
int threadCount();

}  // namespace va
