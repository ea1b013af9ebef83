// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QWidget>

#include "solve/calibration/chart_calibration.h"

namespace va {

/// A chart calibration's residuals over the frame: each corner where it was found, with its error enlarged, and the
/// parts of the frame that no corner covers.
class ResidualPlot : public QWidget {
    Q_OBJECT
  public:
    explicit ResidualPlot(QWidget* parent = nullptr);
    void show(const std::shared_ptr<const ChartCalibration>& chart);
    [[nodiscard]] QSize sizeHint() const override { return {220, 150}; }
    /// How many times the errors are enlarged.
    [[nodiscard]] double enlarged() const;

  protected:
    void paintEvent(QPaintEvent* event) override;

  private:
    std::shared_ptr<const ChartCalibration> chart_;
};

}  // namespace va
