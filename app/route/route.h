// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QAbstractButton>
#include <QFrame>
#include <QLabel>
#include <QTimer>

#include "document/document.h"
#include "workflow/verdict.h"

namespace va {

/// One step on the rail: icon, name, lamp.
class RouteEntry : public QAbstractButton {
    Q_OBJECT
  public:
    RouteEntry(const QString& name, const QString& iconName, QWidget* parent = nullptr);
    void setVerdict(const Verdict& verdict);
    [[nodiscard]] const Verdict& verdict() const { return verdict_; }
    [[nodiscard]] QSize sizeHint() const override { return {64, 66}; }
    [[nodiscard]] QSize minimumSizeHint() const override { return {64, 40}; }

  Q_SIGNALS:
    /// The pointer or the focus came to the entry, or left it.
    void looked(bool at);

  protected:
    void paintEvent(QPaintEvent* event) override;
    void enterEvent(QEnterEvent* event) override;
    void leaveEvent(QEvent* event) override;

  private:
    QString iconName_;
    Verdict verdict_;
};

/// The ordered list of steps as a slim rail at the left. Any can be opened at any time. The verdict of the step under
/// the pointer unfolds beside it, whole.
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
    void unfoldVerdict(RouteEntry* entry);
    Document& document_;
    std::array<RouteEntry*, stepCount> entries_{};
    QLabel* verdict_ = nullptr;  ///< unfolded beside the rail
    QTimer unfold_;
    RouteEntry* looked_ = nullptr;
    Step current_ = Step::plate;
};

}  // namespace va
