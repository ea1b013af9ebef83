// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QLineEdit>

#include "document/document.h"
#include "inspector/page.h"

namespace va {

/// The step Export: where the files go, and what the next program must show of them.
class ExportPage : public Page {
    Q_OBJECT
  public:
    explicit ExportPage(const PageContext& context);
    void refresh() override;

  private:
    Document& document_;
    QLineEdit* folder_;
    QCheckBox* undistorted_;
    QPushButton* write_;
    QLabel *size_, *rate_, *range_, *unit_, *report_;
};

}  // namespace va
