// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QMap>

#include "document/lens_edits.h"
#include "inspector/page.h"

namespace va {

/// The Lens step's part for the camera back. Sensor width, focal length in mm and px, its 35 mm equivalent and the
/// field of view are one linked set: an edit of any changes the others.
class BackSection : public Page {
    Q_OBJECT
  public:
    BackSection(Document& document, LensEdits& edits, const QMap<QString, QAction*>& actions);
    void refresh() override;

  private:
    void buildSensor(const QMap<QString, QAction*>& actions);
    void buildFocal();
    void buildCut();
    void edit(const QString& name, const std::function<void(CameraPriors&)>& change);
    void editFocal(const QString& name, double mm);
    /// Diagonal of 36 × 24 mm over that of the sensor that the plate shows.
    [[nodiscard]] double cropFactor() const;

    Document& document_;
    LensEdits& edits_;
    QComboBox *filmBack_, *focalKnown_, *principalKnown_;
    QLineEdit* camera_;
    NumberField *sensor_, *squeeze_, *focalMm_, *focalPx_, *focal35_, *across_, *offsetX_, *offsetY_;
    std::array<NumberField*, 4> cut_;
    QLabel *high_, *solvedMm_, *solvedPx_, *solvedAcross_, *note_;
};

}  // namespace va
