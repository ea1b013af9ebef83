// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QMap>

#include "document/feature_edits.h"
#include "inspector/page.h"
#include "plate_view/plate_canvas.h"

namespace va {

/// The step Features: how features are tracked, what is selected, and, by the tool in hand, the feature by hand, the
/// masks or the patches.
class FeaturesPage : public Page {
    Q_OBJECT
  public:
    explicit FeaturesPage(const PageContext& context);
    /// The canvas whose tool and look are shown; set once it exists.
    void setCanvas(PlateCanvas* canvas);
    void refresh() override;

  private:
    void buildTrack(const QMap<QString, QAction*>& actions);
    void buildHand(const QMap<QString, QAction*>& actions);
    void buildMasks(const QMap<QString, QAction*>& actions);
    void buildPatches(const QMap<QString, QAction*>& actions);
    void buildLook();
    void refreshPatchPicture();
    Page* section(const QString& title, Kind kind = Kind::openSection);

    Document& document_;
    FeatureEdits& edits_;
    PlateCanvas* canvas_ = nullptr;
    Page *track_ = nullptr, *hand_ = nullptr, *masks_ = nullptr, *patches_ = nullptr;
    QLabel* rectified_ = nullptr;
    std::vector<std::function<void()>> refreshers_;
    bool refreshing_ = false;
};

}  // namespace va
