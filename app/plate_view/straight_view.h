// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QImage>
#include <QPainter>
#include <functional>
#include <memory>
#include <optional>

#include "base/plane.h"
#include "lens/straight_frame.h"

namespace va {

/// The plate as it looks with the lens taken out: the picture, and where its pixels go. Places are in the plate's own
/// coordinates, so that the middle of the picture stays where it is.
class StraightView {
  public:
    /// Makes ready for a lens and a plate size; does nothing where both are as before. Throws InputError where the lens
    /// can't be straightened.
    void prepare(const Intrinsics& lens, int width, int height);
    [[nodiscard]] const StraightFrame& frame() const { return frame_; }

    /// Straight place of a plate pixel; far outside where the lens folds over.
    [[nodiscard]] Eigen::Vector2d straight(const Eigen::Vector2d& plate) const;
    /// The inverse.
    [[nodiscard]] Eigen::Vector2d bent(const Eigen::Vector2d& straight) const;
    /// The straightened picture; the last one is kept. Transparent outside of the plate.
    [[nodiscard]] const QImage& picture(const std::shared_ptr<const DisplayPicture>& plate);

  private:
    Intrinsics lens_;
    int width_ = 0, height_ = 0;
    StraightFrame frame_;
    PixelMap map_;
    std::shared_ptr<const DisplayPicture> shown_;
    QImage image_;
};

/// Lines that are straight in the world, evenly over the frame: they bend as the lens bends. `place` gives the widget
/// position of a plate pixel.
void drawLensGrid(QPainter& painter, const Intrinsics& lens, int width, int height,
                  const std::function<QPointF(const Eigen::Vector2d&)>& place);

}  // namespace va
