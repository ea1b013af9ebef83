// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QWidget>
#include <array>
#include <optional>

#include "document/layout_edits.h"

namespace va {

/// What of a thing's keys is plotted.
enum class KeyChannel { position, turn, scale };

/// The curves of the selected thing's keys over the frames, before the first and after the last one too. A key is
/// dragged in time and in value; a click goes to a frame.
class KeyPlot : public QWidget {
    Q_OBJECT
  public:
    KeyPlot(Document& document, LayoutEdits& edits, QWidget* parent = nullptr);
    void setChannel(KeyChannel channel);
    /// Whether the selected thing has keys to plot.
    [[nodiscard]] bool hasKeys() const;
    /// Widget position of a component's value in a frame.
    [[nodiscard]] QPointF positionOf(int component, double frame) const;

  protected:
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;

  private:
    /// Components of a thing's value in a frame: metres or units, degrees, times.
    [[nodiscard]] std::array<double, 3> valueAt(const Thing& thing, double frame) const;
    [[nodiscard]] int components() const { return channel_ == KeyChannel::scale ? 1 : 3; }
    [[nodiscard]] std::vector<int> frames(const Thing& thing) const;
    void measure();
    [[nodiscard]] double frameOf(double x) const;
    [[nodiscard]] double valueOf(double y) const;
    [[nodiscard]] double xOf(double frame) const;
    [[nodiscard]] double yOf(double value) const;
    [[nodiscard]] Thing dragged() const;

    Document& document_;
    LayoutEdits& edits_;
    KeyChannel channel_ = KeyChannel::position;
    double low_ = 0, high_ = 1;
    struct Held {
        int component, frame;
        int toFrame;
        double toValue;
    };
    std::optional<Held> held_;
};

}  // namespace va
