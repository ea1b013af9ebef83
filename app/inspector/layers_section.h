// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <functional>

#include "document/layout_edits.h"
#include "inspector/page.h"

namespace va {

/// Camera layers: what lies over the solved camera, and the frame that it needs.
class LayersSection : public Page {
    Q_OBJECT
  public:
    LayersSection(Document& document, LayoutEdits& edits);

  private:
    void refreshLayers();
    void edit(const QString& name, const std::function<void(CameraLayers&)>& change);
    Document& document_;
    LayoutEdits& edits_;
    QCheckBox *look_, *pace_, *shake_, *steady_;
    std::vector<std::pair<NumberField*, std::function<double(const CameraLayers&)>>> numbers_;
    std::vector<std::pair<QCheckBox*, QWidget*>> rows_;  ///< of a layer: shown while it is on
    QLabel* note_;
};

}  // namespace va
