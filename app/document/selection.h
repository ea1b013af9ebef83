// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QSet>

#include "shot/shot.h"

namespace va {

/// What is selected, in all views alike: paths, things, or both; and the mask and the patch whose numbers are shown.
struct Selection {
    QSet<int> paths;
    int thing = 0, mask = 0, patch = 0;  ///< ids; 0 = none
    QSet<int> things;                    ///< with the one whose numbers are shown
    QSet<int> previewed;                 ///< paths that a rule would set aside

    /// Drops what is not in the shot any more.
    void keepWhatIs(const Shot& shot) {
        const auto gone = [&shot](int id) { return shot.path(id) == nullptr; };
        paths.removeIf(gone);
        previewed.removeIf(gone);
        things.removeIf([&shot](int id) { return shot.thing(id) == nullptr; });
        if (thing != 0 && !shot.thing(thing)) thing = things.isEmpty() ? 0 : *things.begin();
        if (mask != 0 && !shot.mask(mask)) mask = 0;
        if (patch != 0 && !shot.patch(patch)) patch = 0;
    }
};

}  // namespace va
