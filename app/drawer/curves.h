// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QComboBox>
#include <QFrame>
#include <QLabel>

#include "document/feature_edits.h"
#include "drawer/key_plot.h"

namespace va {

/// What a curve shows of a path.
enum class CurveKind { x, y, speed, offSmooth, quality, residual, drift };

/// One value a point of the path; not-a-number where there is none. Units: px, px a frame for speed, 0..1 for quality.
std::vector<double> curveOf(const Shot& shot, const Path& path, CurveKind kind);

/// The curves of the selected paths over the frames. The wheel zooms around the pointer, a drag selects a span of
/// frames, a click goes to a frame, a drag with the middle button shifts.
class CurvePlot : public QWidget {
    Q_OBJECT
  public:
    CurvePlot(Document& document, QWidget* parent = nullptr);
    void setKind(CurveKind kind);
    [[nodiscard]] FrameRange span() const { return span_; }
    void showAll();
    [[nodiscard]] double xOf(double frame) const;

  Q_SIGNALS:
    void spanChanged();

  protected:
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;
    void wheelEvent(QWheelEvent* event) override;

  private:
    void collect();
    [[nodiscard]] double frameOf(double x) const;
    struct Curve {
        int path;
        std::vector<int> frames;
        std::vector<double> values;
        std::vector<char> off;  ///< set aside or masked
    };
    Document& document_;
    CurveKind kind_ = CurveKind::x;
    std::vector<Curve> curves_;
    double first_ = 0, last_ = 1, low_ = 0, high_ = 1;  ///< what is shown
    FrameRange span_;
    double pressed_ = 0, dragFirst_ = 0;
    bool selecting_ = false, shifting_ = false;
};

/// The curves tab: choice of curve, the plot, and what can be done with the span. Of a thing with keys, their curves.
class Curves : public QFrame {
    Q_OBJECT
  public:
    Curves(Document& document, FeatureEdits& edits, LayoutEdits& layout, QWidget* parent = nullptr);
    [[nodiscard]] CurvePlot& plot() { return *plot_; }
    [[nodiscard]] KeyPlot& keyPlot() { return *keys_; }

  private:
    CurvePlot* plot_;
    KeyPlot* keys_;
};

}  // namespace va
