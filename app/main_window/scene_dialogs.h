// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QComboBox>
#include <QDialog>
#include <QPushButton>
#include <QWidget>

#include "document/exchange_edits.h"

namespace va {

/// Asks, before a scene is taken in, what holds where file and shot do not agree: both values, what follows in px, and
/// what can be done. Nothing is taken before all that is open has an answer.
class TakeSceneDialog : public QDialog {
    Q_OBJECT
  public:
    enum class For { taking, comparing };
    TakeSceneDialog(const ExchangeEdits::Offered& offered, For what, QWidget* parent = nullptr);
    /// With the answers.
    [[nodiscard]] const ExchangeEdits::Offered& offered() const { return offered_; }
    [[nodiscard]] bool things() const { return things_; }

  private:
    void refresh();
    ExchangeEdits::Offered offered_;
    bool things_ = true;
    std::vector<QComboBox*> answers_;
    QPushButton* take_ = nullptr;
};

/// Difference of two cameras over the frames, as a curve in px, with the worst frames.
class ComparisonPlot : public QWidget {
    Q_OBJECT
  public:
    explicit ComparisonPlot(CameraComparison comparison, QWidget* parent = nullptr);
    [[nodiscard]] QSize sizeHint() const override { return {560, 180}; }

  Q_SIGNALS:
    void frameChosen(int frame);

  protected:
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;

  private:
    CameraComparison c_;
};

class CompareDialog : public QDialog {
    Q_OBJECT
  public:
    CompareDialog(const CameraComparison& comparison, const QString& file, QWidget* parent = nullptr);

  Q_SIGNALS:
    void frameChosen(int frame);
};

}  // namespace va
