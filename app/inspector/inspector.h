// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QScrollArea>
#include <QTimer>

#include "document/document.h"
#include "inspector/features_page.h"
#include "inspector/layout_page.h"
#include "inspector/lens_page.h"
#include "inspector/page.h"
#include "inspector/solve_page.h"
#include "workflow/verdict.h"

namespace va {

/// The page of the step in hand, made from the table of steps. Captions, label left, value right, unit after it.
class Inspector : public QScrollArea {
    Q_OBJECT
  public:
    explicit Inspector(const PageContext& context, QWidget* parent = nullptr);
    void showStep(Step step);
    /// Opens the sections that a widget of a page stands in, and scrolls to it.
    void reveal(QWidget* widget);
    [[nodiscard]] FeaturesPage& features() { return *page<FeaturesPage>(Step::features); }
    [[nodiscard]] LensPage& lens() { return *page<LensPage>(Step::lens); }
    [[nodiscard]] LayoutPage& layoutPage() { return *page<LayoutPage>(Step::layout); }
    [[nodiscard]] SolvePage& solve() { return *page<SolvePage>(Step::solve); }

  private:
    template <class P>
    P* page(Step step) {
        return static_cast<P*>(pages_[size_t(step)]);
    }
    void settle();
    bool eventFilter(QObject* object, QEvent* event) override;
    /// Only the page that is seen: some values take a walk over all paths.
    void refresh();

    std::array<Page*, stepCount> pages_{};
    size_t shown_ = 0;
    QTimer settling_;
    std::array<int, stepCount> scrolled_{};  ///< px, where each page was left
};

}  // namespace va
