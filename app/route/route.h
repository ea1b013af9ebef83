// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QAbstractButton>
#include <QFrame>

#include "document/document.h"
#include "workflow/verdict.h"

namespace va {

/// One step of the route: icon, name, lamp, verdict in at most two lines; the whole verdict in the tool tip.
class RouteEntry : public QAbstractButton {
    Q_OBJECT
  public:
    RouteEntry(const QString& name, const QString& iconName, QWidget* parent = nullptr);
    void setVerdict(const Verdict& verdict);
    [[nodiscard]] const Verdict& verdict() const { return verdict_; }
    [[nodiscard]] QSize sizeHint() const override { return {196, 58}; }

  protected:
    void paintEvent(QPaintEvent* event) override;

  private:
    QString iconName_;
    Verdict verdict_;
};

/// The ordered list of steps at the left. Any can be opened at any time.
class Route : public QFrame {
    Q_OBJECT
  public:
    explicit Route(Document& document, QWidget* parent = nullptr);
    [[nodiscard]] Step current() const { return current_; }
    void setCurrent(Step step);
    [[nodiscard]] RouteEntry* entry(Step step) const { return entries_[size_t(step)]; }

  Q_SIGNALS:
    void stepChosen(va::Step step);

  private:
    void refresh();
    Document& document_;
    std::array<RouteEntry*, stepCount> entries_{};
    Step current_ = Step::plate;
};

/// Draws a state: disc, triangle, ring or half disc, so that colour is never the only sign.
void drawLamp(QPainter& painter, const QPointF& at, Lamp lamp);

}  // namespace va
