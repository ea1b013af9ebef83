// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QMap>
#include <QTableWidget>

#include "document/document.h"
#include "inspector/page.h"

namespace va {

/// The Solve step's part for what fits badly: the worst features and frames, what refining was worth.
class RefineSection : public Page {
    Q_OBJECT
  public:
    RefineSection(Document& document, const QMap<QString, QAction*>& actions);
    void refresh() override;

  private:
    Document& document_;
    QTableWidget* worst_;
    QLabel *frames_, *map_, *report_;
    std::shared_ptr<const SolveResult> shown_;
};

}  // namespace va
