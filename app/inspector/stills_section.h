// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QTableWidget>

#include "document/still_edits.h"
#include "inspector/page.h"

namespace va {

/// Photos of the same place that join the solve.
class StillsSection : public Page {
    Q_OBJECT
  public:
    StillsSection(Document& document, StillEdits& edits, const QMap<QString, QAction*>& actions);
    void refresh() override;

  private:
    Document& document_;
    StillEdits& edits_;
    QTableWidget* table_;
    NumberField* focal_;
    QLabel* note_;
    bool refreshing_ = false;
};

}  // namespace va
