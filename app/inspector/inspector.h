// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QComboBox>
#include <QFormLayout>
#include <QLabel>
#include <QScrollArea>

#include "document/document.h"
#include "inspector/features_page.h"
#include "inspector/layout_page.h"
#include "inspector/lens_page.h"
#include "inspector/number_field.h"
#include "inspector/page.h"
#include "inspector/solve_page.h"
#include "workflow/verdict.h"

namespace va {

/// What the step in hand needs to show and to set. Captions, label left, value right, unit after it.
class Inspector : public QScrollArea {
    Q_OBJECT
  public:
    /// `actions` by name, for the buttons of a page.
    Inspector(Document& document, FeatureEdits& edits, LensEdits& lensEdits, SolveEdits& solveEdits, SlipWatch& slip,
              const QMap<QString, QAction*>& actions, QWidget* parent = nullptr);
    void showStep(Step step);
    [[nodiscard]] FeaturesPage& features() { return *features_; }
    [[nodiscard]] LensPage& lens() { return *lens_; }
    [[nodiscard]] SolvePage& solve() { return *solve_; }

  private:
    void add(Page* page);
    Page* addPage(const QString& title);
    void buildPlate(const QMap<QString, QAction*>& actions);
    void buildLens(const QMap<QString, QAction*>& actions);
    void buildFeatures(const QMap<QString, QAction*>& actions);
    void buildSolve(const QMap<QString, QAction*>& actions);
    void buildGround(const QMap<QString, QAction*>& actions);
    void buildLayout(const QMap<QString, QAction*>& actions);
    void buildProof();
    void buildExport();
    /// Only the page that is seen: some values take a walk over all paths.
    void refresh();

    Document& document_;
    FeatureEdits& edits_;
    LensEdits& lensEdits_;
    SolveEdits& solveEdits_;
    SlipWatch& slip_;
    FeaturesPage* features_ = nullptr;
    LensPage* lens_ = nullptr;
    SolvePage* solve_ = nullptr;
    LayoutPage* layoutPage_ = nullptr;
    std::vector<Page*> pages_;  ///< in the order of the steps
    int shown_ = 0;
    std::array<int, stepCount> scrolled_{};          ///< px, where each page was left
    std::vector<std::function<void()>> refreshers_;  ///< one a page, in the order of the steps
};

}  // namespace va
