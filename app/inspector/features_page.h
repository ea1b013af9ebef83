// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QMap>

#include "document/feature_edits.h"
#include "inspector/page.h"
#include "plate_view/plate_canvas.h"

namespace va {

/// The step Features: how features are followed, what is selected, and, by the tool in hand, the feature by hand, the
/// masks or the patches.
class FeaturesPage : public Page {
    Q_OBJECT
  public:
    FeaturesPage(Document& document, FeatureEdits& edits, const QMap<QString, QAction*>& actions);
    /// The canvas whose tool and look are shown; set once it exists.
    void setCanvas(PlateCanvas* canvas);
    void refresh();

  private:
    void buildFollow(const QMap<QString, QAction*>& actions);
    void buildHand(const QMap<QString, QAction*>& actions);
    void buildMasks(const QMap<QString, QAction*>& actions);
    void buildPatches(const QMap<QString, QAction*>& actions);
    void buildLook();
    void refreshPatchPicture();
    Page* section(const QString& title);

    Document& document_;
    FeatureEdits& edits_;
    PlateCanvas* canvas_ = nullptr;
    Page *follow_ = nullptr, *hand_ = nullptr, *masks_ = nullptr, *patches_ = nullptr;
    QLabel* straight_ = nullptr;
    std::vector<std::function<void()>> refreshers_;
    bool refreshing_ = false;
};

}  // namespace va
