// SPDX-License-Identifier: GPL-3.0-or-later
#include "solve/report/outlier_words.h"

#include "base/text.h"

namespace va {

std::string outlierWords(OutlierReason reason) {
    switch (reason) {
        case OutlierReason::noise: return text("off by more than the noise explains");
        case OutlierReason::otherReference: return text("measured against another reference there");
        case OutlierReason::fewFrames: return text("seen in too few solved frames");
        case OutlierReason::slides: return text("slides along an edge, or holds two surfaces");
        case OutlierReason::notScene: return text("does not move with the scene, or is too far away for a position");
        case OutlierReason::notRotation: return text("does not fit the rotation");
        case OutlierReason::notLockedOff: return text("moves, although the camera is locked off");
    }
    return {};
}

}  // namespace va
