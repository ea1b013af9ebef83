// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QCheckBox>
#include <QMap>

#include "document/lens_edits.h"
#include "inspector/page.h"

namespace va {

/// The Lens step's part for giving the lens away: undistorted plate, distorted insert, STMaps.
class LensWriteSection : public Page {
    Q_OBJECT
  public:
    LensWriteSection(Document& document, const QMap<QString, QAction*>& actions);
    void refresh() override;
    /// What the fields say.
    [[nodiscard]] LensEdits::Writing writing() const;

  private:
    Document& document_;
    QLineEdit* folder_;
    QComboBox *format_, *filter_;
    QCheckBox *overscan_, *straightAlpha_;
    QLabel *size_, *view_, *note_;
};

}  // namespace va
