// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "document/ground_edits.h"
#include "inspector/page.h"

class QTableWidget;

namespace va {

/// The step Ground: the evidence of the level, candidates, origin and axes, known lengths.
class GroundPage : public Page {
    Q_OBJECT
  public:
    explicit GroundPage(const PageContext& context);
    void refresh() override;

  private:
    void buildLevel(const QMap<QString, QAction*>& actions);
    void buildCandidates(const QMap<QString, QAction*>& actions);
    void buildWorld(const QMap<QString, QAction*>& actions);
    void buildScale(const QMap<QString, QAction*>& actions);
    void refreshLevel();
    void refreshCandidates();
    void refreshPlaneNote();
    void refreshWorld();
    void refreshScale();
    [[nodiscard]] QString nameOf(int path) const;
    [[nodiscard]] QString lengthWords(const KnownLength& length) const;

    Document& document_;
    GroundEdits& edits_;
    QTableWidget *evidence_, *candidates_, *planes_, *lengths_;
    QWidget* removePlane_;
    QLabel *sure_, *origin_, *along_, *unit_, *note_, *planeNote_;
    NumberField *length_, *moveX_, *moveY_, *moveZ_, *turn_;
    bool refreshing_ = false;
};

}  // namespace va
