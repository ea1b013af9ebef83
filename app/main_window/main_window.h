// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QLabel>
#include <QMainWindow>
#include <QMap>
#include <QProgressBar>
#include <QPushButton>
#include <array>

#include "document/document.h"
#include "document/exchange_edits.h"
#include "document/proof_edits.h"
#include "document/proof_live.h"
#include "document/feature_edits.h"
#include "document/ground_edits.h"
#include "document/layout_edits.h"
#include "document/lens_edits.h"
#include "document/live_solve.h"
#include "document/photo_edits.h"
#include "document/settle_place.h"
#include "document/slip_watch.h"
#include "document/solve_edits.h"
#include "document/still_edits.h"
#include "drawer/drawer.h"
#include "workflow/verdict.h"

class QMenuBar;

namespace va {

class Inspector;
class PlateView;
class Route;
class SceneView;
class Strip;
class Views;

/// The one window: bar, route, views, inspector, strip. Wires the parts; its actions are made in app/actions, its menus
/// in menus.cpp, files are opened and saved in files.cpp.
class MainWindow : public QMainWindow {
    Q_OBJECT
  public:
    explicit MainWindow(QWidget* parent = nullptr);
    ~MainWindow() override;

    [[nodiscard]] Document& document() { return document_; }
    [[nodiscard]] FeatureEdits& edits() { return edits_; }
    [[nodiscard]] SolveEdits& solveEdits() { return solveEdits_; }
    [[nodiscard]] GroundEdits& groundEdits() { return groundEdits_; }
    [[nodiscard]] PhotoEdits& photoEdits() { return photoEdits_; }
    [[nodiscard]] StillEdits& stillEdits() { return stillEdits_; }
    [[nodiscard]] LayoutEdits& layoutEdits() { return layoutEdits_; }
    [[nodiscard]] ExchangeEdits& exchangeEdits() { return exchange_; }
    [[nodiscard]] ProofEdits& proofEdits() { return proofEdits_; }
    [[nodiscard]] ProofLive& proofLive() { return proofLive_; }
    /// Reads a scene file, asks what does not fit, and takes it in or compares with it.
    void takeScene(const QString& file);
    void compareScene(const QString& file);
    [[nodiscard]] SettlePlace& settlePlace() { return settle_; }
    [[nodiscard]] LiveSolve& live() { return live_; }
    [[nodiscard]] SlipWatch& slip() { return slip_; }
    [[nodiscard]] LensEdits& lensEdits() { return lensEdits_; }
    [[nodiscard]] Views& views() { return *views_; }
    [[nodiscard]] Inspector& inspector() { return *inspector_; }
    [[nodiscard]] QAction* action(const QString& name) const { return actions_.value(name); }
    void saveLens(const QString& path);
    /// Opens a plate or a project, by its ending. Troubles are shown, not thrown.
    bool openPath(const QString& path);
    bool saveTo(const QString& file);
    /// Asks about shots that were autosaved and never saved, after a crash.
    void offerUnsaved();

  protected:
    void closeEvent(QCloseEvent* event) override;
    void dragEnterEvent(QDragEnterEvent* event) override;
    void dropEvent(QDropEvent* event) override;

  private:
    QAction* add(const QString& name, const QString& text, const QString& shortText, const QKeySequence& key,
                 const QString& iconName, const std::function<void()>& run);
    void makeFileActions();
    void makeEditActions();
    void makeShotActions();
    void makeToolActions();
    void makeViewActions();
    void makeGroundActions();
    void makeLayoutActions();
    void makeExchangeActions();
    void makeProofActions();
    void readPaths(const QString& file);
    [[nodiscard]] QString chosenScene(const QString& title);
    void askAndTake(const ExchangeEdits::Offered& offered);
    void makeFeatureActions();
    void makeLensActions();
    void makeSolveActions();
    void makePhotoActions();
    void refreshPhotoActions();
    void refreshFeatureActions();
    void refreshLensActions();
    void refreshSolveActions();
    void refreshGroundActions();
    void askTypicalSize();
    void revealOnSolvePage(const char* widget);
    QMenuBar* makeMenus();
    void makeStepMenu(QMenu* menu);
    void fillMenu(QMenu* menu, const QStringList& names);
    QWidget* makeBar();
    void makeLayout();
    void wireParts();
    void wireTray();
    [[nodiscard]] std::optional<ThingKind> withFile(const ThingKind& kind);
    bool dropFile(const QString& file, const QPoint& global);
    void showStep(Step step);
    void toolTaken();
    void callDrawer(Drawer::Part part);
    void refreshDrawerWords();
    void nextCloudColour();
    void refresh();
    void refreshJob();
    void showTrouble(const QString& sentence);
    void say(const QString& sentence);
    bool mayDiscard();
    bool save();
    bool saveAs();
    void open();
    void askAboutDamage();
    void locateFootage();
    void remember(const QString& path);
    void fillRecent();
    [[nodiscard]] std::vector<int> selectionInOrder() const;

    Document document_;
    FeatureEdits edits_{document_};
    LensEdits lensEdits_{document_};
    SolveEdits solveEdits_{document_};
    GroundEdits groundEdits_{document_};
    PhotoEdits photoEdits_{document_};
    StillEdits stillEdits_{document_};
    LayoutEdits layoutEdits_{document_};
    ExchangeEdits exchange_{document_};
    ProofEdits proofEdits_{document_};
    ProofLive proofLive_{document_};
    SettlePlace settle_{document_, layoutEdits_};
    SlipWatch slip_{document_};
    LiveSolve live_{document_};
    QMap<QString, QAction*> actions_;
    QStringList order_;
    QList<QAction*> viewActions_;  ///< whose keys hold in the views only
    std::vector<int> pickOrder_;   ///< selected paths in the order of picking: "from" before "to"
    QMenu* recent_ = nullptr;
    QLabel *name_ = nullptr, *size_ = nullptr, *rate_ = nullptr, *range_ = nullptr, *jobText_ = nullptr;
    QProgressBar* jobBar_ = nullptr;
    QPushButton *match_ = nullptr, *cancel_ = nullptr;
    Route* route_ = nullptr;
    PlateView* plate_ = nullptr;
    SceneView* scene_ = nullptr;
    Inspector* inspector_ = nullptr;
    Strip* strip_ = nullptr;
    Drawer* drawer_ = nullptr;
    bool matching_ = false;  ///< Match shot was pressed: its result opens the step Solve
    Views* views_ = nullptr;
    std::array<bool, stepCount> insetAt_{};  ///< whether the inset is shown, by step
};

}  // namespace va
