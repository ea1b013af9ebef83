// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "base/progress.h"

namespace va {

/// Ends the program on INT, TERM and HUP in order: the work is cancelled at its next safe step, part files go, and the
/// exit code is exitCancelled. A second signal, or work that does not stop within some seconds (a disk that hangs),
/// ends it at once, without part files all the same.
///
/// To be made first in main(), before any thread.
class Interrupt {
  public:
    Interrupt();
    /// The work to cancel; it has to outlive the program's run() or be replaced. Null: none.
    static void watch(Progress* progress);
    /// Progress that is watched as long as it lives.
    class Watched;
};

class Interrupt::Watched : public Progress {
  public:
    explicit Watched(Listener listener = {}) : Progress(std::move(listener)) { watch(this); }
    ~Watched() { watch(nullptr); }
};

}  // namespace va
