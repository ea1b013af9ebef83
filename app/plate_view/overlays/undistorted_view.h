// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QImage>
#include <QPainter>
#include <functional>
#include <memory>
#include <optional>

#include "base/plane.h"
#include "lens/undistorted_frame.h"

namespace va {

/// The plate as it looks with the lens taken out: the picture, and where its pixels go. Positions are in the plate's
/// own coordinates, so that the middle of the picture stays where it is.
class UndistortedView {
  public:
    /// Makes ready for a lens and a plate size; does nothing where both are as before. Throws InputError where the lens
    /// can't be straight.
    void prepare(const Intrinsics& lens, int width, int height);
    [[nodiscard]] const UndistortedFrame& frame() const { return frame_; }

    /// Undistorted position of a plate pixel; far outside where the lens folds over.
    [[nodiscard]] Eigen::Vector2d undistorted(const Eigen::Vector2d& plate) const;
    /// The inverse.
    [[nodiscard]] Eigen::Vector2d distorted(const Eigen::Vector2d& undistorted) const;
    /// The undistorted picture; the last one is kept. Transparent outside of the plate.
    [[nodiscard]] const QImage& picture(const std::shared_ptr<const DisplayPicture>& plate);

  private:
    Intrinsics lens_;
    int width_ = 0, height_ = 0;
    UndistortedFrame frame_;
    PixelMap map_;
    std::shared_ptr<const DisplayPicture> shown_;
    QImage image_;
};

/// Lines that are straight in the world, evenly over the frame: they distort as the lens distorts. `position` gives the
/// widget position of a plate pixel.
void drawLensGrid(QPainter& painter, const Intrinsics& lens, int width, int height,
                  const std::function<QPointF(const Eigen::Vector2d&)>& position);

}  // namespace va
