// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <Eigen/Core>
#include <QWidget>
#include <optional>

namespace va {

/// Where the light comes from, seen from straight above: the middle is the zenith, the rim the horizon; the wedge is
/// what the camera looks at. Dragging turns the sun.
class SunDial : public QWidget {
    Q_OBJECT
  public:
    explicit SunDial(QWidget* parent = nullptr);
    /// `sigmaDegrees` below 0 = not measured; `camera`: the way it looks, and half its angle of view in radians.
    void show(const Eigen::Vector3d& toSun, double sigmaDegrees, bool on, const std::optional<Eigen::Vector3d>& camera,
              double halfView);
    [[nodiscard]] QSize sizeHint() const override { return {112, 112}; }
    /// The direction that a place of the dial stands for.
    [[nodiscard]] Eigen::Vector3d directionAt(const QPointF& at) const;
    [[nodiscard]] QPointF placeOf(const Eigen::Vector3d& toSun) const;

  Q_SIGNALS:
    void turned(const Eigen::Vector3d& toSun);
    /// The mouse takes the sun, or lets it go.
    void held(bool held);

  protected:
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;

  private:
    [[nodiscard]] QPointF middle() const { return {width() / 2.0, height() / 2.0}; }
    [[nodiscard]] double radius() const;
    Eigen::Vector3d toSun_{0, 1, 0};
    double sigma_ = -1, halfView_ = 0.5, turn_ = 0;  ///< radians by which the dial is turned: the camera looks up
    bool on_ = true, camera_ = false;
};

}  // namespace va
