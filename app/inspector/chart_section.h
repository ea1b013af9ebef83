// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QMap>
#include <QTableWidget>

#include "document/lens_edits.h"
#include "inspector/page.h"
#include "inspector/residual_plot.h"

namespace va {

/// The Lens step's part for chart stills: which, what was found in each, the result with its residuals and its
/// uncertainty, and taking it for the shot.
class ChartSection : public Page {
    Q_OBJECT
  public:
    ChartSection(Document& document, const QMap<QString, QAction*>& actions);
    void refresh() override;

  private:
    Document& document_;
    QTableWidget* stills_;
    ResidualPlot* plot_;
    QLabel *rms_, *numbers_, *note_;
};

}  // namespace va
