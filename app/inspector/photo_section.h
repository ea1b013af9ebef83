// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QSlider>
#include <QTableWidget>

#include "document/photo_edits.h"
#include "inspector/page.h"

namespace va {

/// What one picture is matched by: lines by axis, rectangle, known points, and the focal length by eye.
class PhotoSection : public Page {
    Q_OBJECT
  public:
    PhotoSection(Document& document, PhotoEdits& edits, const QMap<QString, QAction*>& actions);
    void refresh() override;

  private:
    [[nodiscard]] double focal() const;
    Document& document_;
    PhotoEdits& edits_;
    QTableWidget* table_;
    NumberField *focal_, *width_, *depth_, *height_, *x_, *y_, *z_;
    QSlider* slider_;
    QCheckBox* held_;
    QLabel* note_;
    QList<QWidget*> rectangle_, point_;
    bool refreshing_ = false;
};

}  // namespace va
