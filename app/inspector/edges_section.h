// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QMap>
#include <QTableWidget>

#include "document/lens_edits.h"
#include "inspector/page.h"

namespace va {

/// The Lens step's part for straight edges: the edges of all frames with their straightness before and after, and what
/// can be done with them.
class EdgesSection : public Page {
    Q_OBJECT
  public:
    EdgesSection(Document& document, LensEdits& edits, const QMap<QString, QAction*>& actions);
    void refresh() override;

  private:
    Document& document_;
    LensEdits& edits_;
    QTableWidget* table_;
    QLabel* note_;
    bool refreshing_ = false;
};

}  // namespace va
