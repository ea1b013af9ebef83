// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QColor>
#include <unordered_map>

#include "media/frame_cache.h"
#include "shot/shot.h"

namespace va {

/// What the points of the cloud are coloured by.
enum class CloudColour { plate, residual, plain };

/// The plate's colour at each solved point, so that one recognises the position in the scene view. Taken from frames as
/// their pictures come in; a point that was in none of them yet has no colour.
class CloudColours {
  public:
    /// After a change of the shot: looks at all pictures that are held.
    void update(const Shot& shot, const FrameCache* cache);
    /// A picture has come in. True where a point got its colour by it.
    bool take(const Shot& shot, const FrameCache& cache, int frame);
    [[nodiscard]] std::optional<QColor> of(int pathId) const;

  private:
    std::shared_ptr<const SolveResult> solve_;
    std::string plate_;
    std::unordered_map<int, QRgb> colours_;  ///< by path id
    size_t wanted_ = 0;
};

}  // namespace va
