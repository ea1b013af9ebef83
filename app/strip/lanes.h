// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QWidget>
#include <limits>

#include "document/document.h"
#include "workflow/verdict.h"

namespace va {

/// Values of a lane between which its bars or its line run; below and above they are cut off.
struct LaneScale {
    double low = 0, high = 1;
    /// Height of a value as a share of the lane, 0..1.
    [[nodiscard]] double share(double value) const;
};

/// From half of the largest value, or from the smallest where that is lower, to the largest: differences show, and a
/// tenth more is never drawn as more than twice as much.
LaneScale coverScale(const std::vector<Cover>& cover);
/// From 0 to a round number, px, that nineteen of twenty frames stay below.
LaneScale errorScale(const SolveResult& solve);
/// From 0 to the largest parallax, degrees.
LaneScale parallaxScale(const SolveResult& solve);

/// The lanes: cover, error, parallax over the frames; the playhead and the handles of the work range. Click or drag
/// scrubs.
class Lanes : public QWidget {
    Q_OBJECT
  public:
    explicit Lanes(Document& document, QWidget* parent = nullptr);
    [[nodiscard]] QSize sizeHint() const override;
    [[nodiscard]] double xOf(double frame) const;
    /// What is known of a frame, for the tool tip.
    [[nodiscard]] QString tipFor(int frame) const;

  Q_SIGNALS:
    /// A key of the selected thing was dragged to another frame.
    void keyDragged(int from, int to);

  protected:
    bool event(QEvent* event) override;
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;

  private:
    [[nodiscard]] int frameAt(double x) const;
    /// Where a frame's bar stands in a lane.
    [[nodiscard]] QRectF bar(int frame, int lane, double share) const;
    void paintLabels(QPainter& painter) const;
    void paintCover(QPainter& painter) const;
    void paintError(QPainter& painter) const;
    void paintParallax(QPainter& painter) const;
    void paintKeys(QPainter& painter) const;
    void paintTroubles(QPainter& painter) const;
    Document& document_;
    std::vector<Cover> cover_;
    LaneScale coverScale_, errorScale_, parallaxScale_;
    static constexpr int noKey = std::numeric_limits<int>::min();
    [[nodiscard]] int thingKeyAt(const QPointF& at) const;
    int draggedKey_ = noKey, draggedTo_ = noKey;
    enum class Drag { none, playhead, in, out, key } drag_ = Drag::none;
    FrameRange dragRange_;
};

}  // namespace va
