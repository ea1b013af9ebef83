// SPDX-License-Identifier: GPL-3.0-or-later
#include "base/parallel.h"

#include <tbb/blocked_range.h>
#include <tbb/parallel_for.h>
#include <tbb/task_arena.h>

#include <algorithm>

namespace va {

void parallelRanges(int count, int grain, const std::function<void(int, int)>& body) {
    if (count <= 0) return;
    tbb::parallel_for(tbb::blocked_range<int>(0, count, size_t(std::max(1, grain))),
                      [&](const tbb::blocked_range<int>& piece) { body(piece.begin(), piece.end()); });
}

int threadCount() { return tbb::this_task_arena::max_concurrency(); }

}  // namespace va
