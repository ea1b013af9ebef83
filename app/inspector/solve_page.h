// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QComboBox>

#include "document/slip_watch.h"
#include "document/solve_edits.h"
#include "inspector/check_section.h"
#include "inspector/page.h"
#include "inspector/path_section.h"
#include "inspector/photo_section.h"
#include "inspector/refine_section.h"
#include "inspector/stills_section.h"

namespace va {

/// The page of the step Solve: what was found and how good it is, what is to be chosen by hand, movers.
class SolvePage : public Page {
    Q_OBJECT
  public:
    explicit SolvePage(const PageContext& context);
    void refresh() override;
    /// The mover that the page shows, or null.
    [[nodiscard]] const Mover* mover() const;
    [[nodiscard]] CheckSection& checkPoints() { return *checks_; }
    [[nodiscard]] PathSection& path() { return *path_; }

  private:
    void buildNumbers(const QMap<QString, QAction*>& actions);
    void buildCamera(QAction* liveSolve);
    void buildMovers(const QMap<QString, QAction*>& actions);
    void refreshMovers();

    Document& document_;
    SolveEdits& edits_;
    SlipWatch& slip_;
    QLabel *fit_, *check_, *here_, *slipOver_, *motion_, *focal_, *frames_, *points_, *note_;
    QComboBox *move_, *zoom_, *rows_, *movers_, *scaleBy_;
    NumberField *metres_, *size_, *readout_;
    RefineSection* refine_;
    CheckSection* checks_;
    PathSection* path_;
    PhotoSection* photo_;
    StillsSection* stills_;
    QLabel* moverNote_;
};

}  // namespace va
