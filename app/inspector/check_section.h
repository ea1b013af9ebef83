// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QMap>
#include <QTableWidget>

#include "document/solve_edits.h"
#include "inspector/page.h"

namespace va {

/// The Solve step's part for check points: what was measured on the set, and how well the solve meets it.
class CheckSection : public Page {
    Q_OBJECT
  public:
    CheckSection(Document& document, SolveEdits& edits, const QMap<QString, QAction*>& actions);
    void refresh() override;
    /// Id of the check point that the section shows, or 0.
    [[nodiscard]] int current() const;

  private:
    void refreshFields();
    Document& document_;
    SolveEdits& edits_;
    QTableWidget* table_;
    NumberField *length_, *x_, *y_, *z_, *tolerance_;
    QLabel* note_;
    bool refreshing_ = false;
    int shown_ = 0;
};

}  // namespace va
