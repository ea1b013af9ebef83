// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <array>

#include "document/document.h"
#include "inspector/page.h"

namespace va {

/// The Lens step: camera back, the lens model and its numbers, and what the solve found. Sensor width, focal length in
/// mm and px and field of view are one linked set: an edit of any changes the others.
class LensPage : public Page {
    Q_OBJECT
  public:
    LensPage(Document& document, const QMap<QString, QAction*>& actions);
    void refresh();

  private:
    void edit(const QString& name, const std::function<void(CameraBack&)>& change);
    void editFocal(const QString& name, double mm);
    void buildBack();
    void buildModel(const QMap<QString, QAction*>& actions);
    void buildSolved();

    Document& document_;
    NumberField *sensor_, *focalMm_, *focalPx_, *across_, *offsetX_, *offsetY_;
    QComboBox *focalKnown_, *principalKnown_, *distortionKnown_, *model_;
    std::array<std::vector<NumberField*>, lensKinds> numbers_;
    QLabel *solvedMm_, *solvedPx_, *solvedAcross_, *solvedLens_, *note_;
};

}  // namespace va
