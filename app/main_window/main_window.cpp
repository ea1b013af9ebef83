// SPDX-License-Identifier: GPL-3.0-or-later
#include "main_window/main_window.h"

#include <QApplication>
#include <QCloseEvent>
#include <QDragEnterEvent>
#include <QFileDialog>
#include <QFileInfo>
#include <QHBoxLayout>
#include <QMenuBar>
#include <QMessageBox>
#include <QMimeData>
#include <QSettings>
#include <QVBoxLayout>
#include <cmath>

#include "base/error.h"
#include "drawer/drawer.h"
#include "inspector/inspector.h"
#include "main_window/action_search.h"
#include "plate_view/plate_view.h"
#include "route/route.h"
#include "scene_view/scene_view.h"
#include "strip/strip.h"
#include "style/theme.h"
#include "workflow/match_shot.h"

namespace va {

MainWindow::MainWindow(QWidget* parent) : QMainWindow(parent) {
    setObjectName("mainWindow");
    setAcceptDrops(true);
    resize(1280, 800);
    makeActions();
    makeGroundActions();
    makeFeatureActions();
    makeLensActions();
    makeSolveActions();
    makeLayout();
    makeMenus();
    connect(&document_, &Document::shotChanged, this, &MainWindow::refresh);
    connect(&document_, &Document::selectionChanged, this, &MainWindow::refresh);
    connect(&document_, &Document::fileNameChanged, this, &MainWindow::refresh);
    connect(&document_.undoStack(), &QUndoStack::cleanChanged, this, &MainWindow::refresh);
    connect(&document_, &Document::message, this, &MainWindow::say);
    connect(&document_, &Document::troubled, this, &MainWindow::showTrouble);
    connect(&document_.job(), &Job::changed, this, &MainWindow::refreshJob);
    connect(&document_.opening(), &Opening::changed, this, &MainWindow::refreshJob);
    refresh();
    refreshJob();
}

MainWindow::~MainWindow() {
    // The views listen to the document, which is a member and would go before them.
    disconnect(&document_, nullptr, this, nullptr);
    disconnect(&document_.undoStack(), nullptr, this, nullptr);
    disconnect(&document_.job(), nullptr, this, nullptr);
    delete takeCentralWidget();
}

QAction* MainWindow::add(const QString& name, const QString& text, const QString& shortText, const QKeySequence& key,
                         const QString& iconName, const std::function<void()>& run) {
    auto* a = new QAction(text, this);
    a->setObjectName(name);
    a->setIconText(shortText.isEmpty() ? text : shortText);
    a->setShortcut(key);
    if (!iconName.isEmpty()) a->setIcon(icon(iconName));
    const QString keyText = key.toString(QKeySequence::NativeText);
    a->setToolTip(keyText.isEmpty() ? text : tr("%1 (%2)").arg(text, keyText));
    if (run) connect(a, &QAction::triggered, this, run);
    addAction(a);
    actions_[name] = a;
    order_ << name;
    return a;
}

void MainWindow::makeActions() {
    add("open", tr("Open plate or project…"), tr("Open…"), QKeySequence::Open, "folder-open", [this] { open(); });
    add("save", tr("Save project"), {}, QKeySequence::Save, {}, [this] { save(); });
    add("saveAs", tr("Save project as…"), {}, QKeySequence::SaveAs, {}, [this] { saveAs(); });
    add("locate", tr("Locate footage…"), {}, {}, {}, [this] { locateFootage(); });
    add("quit", tr("Quit"), {}, QKeySequence::Quit, {}, [this] { close(); });

    QAction* undo = document_.undoStack().createUndoAction(this, tr("Undo"));
    QAction* redo = document_.undoStack().createRedoAction(this, tr("Redo"));
    undo->setShortcut(QKeySequence::Undo);
    redo->setShortcut(QKeySequence::Redo);
    actions_["undo"] = undo;
    actions_["redo"] = redo;
    order_ << "undo"
           << "redo";
    add("setAside", tr("Set selected features aside"), tr("Set aside"), Qt::Key_Delete, {},
        [this] { document_.setAside(document_.selectedPaths(), true); });
    add("bringBack", tr("Bring selected features back"), tr("Bring back"), QKeySequence(Qt::SHIFT | Qt::Key_Delete), {},
        [this] { document_.setAside(document_.selectedPaths(), false); });
    add("selectAll", tr("Select features of this frame"), {}, QKeySequence::SelectAll, {}, [this] {
        QSet<int> ids;
        for (const Path& p : *document_.shot().paths)
            if (!p.setAside && p.at(document_.frame())) ids.insert(p.id);
        document_.selectPaths(ids);
    });
    add("search", tr("Search the actions…"), {}, QKeySequence(Qt::CTRL | Qt::Key_K), "search", [this] {
        QList<QAction*> all;
        for (const QString& n : order_)
            if (n != "search") all << actions_[n];
        ActionSearch box(all, this);
        box.move(mapToGlobal(QPoint((width() - box.width()) / 2, 90)));
        box.exec();
    });

    add("match", tr("Match shot"), {}, QKeySequence(Qt::CTRL | Qt::Key_M), {}, [this] { document_.matchShot(); });
    add("follow", tr("Follow features"), {}, QKeySequence(Qt::CTRL | Qt::Key_F), "scan-search",
        [this] { document_.followFeatures(); });
    add("solve", tr("Solve the camera"), tr("Solve"), QKeySequence(Qt::CTRL | Qt::Key_R), "video",
        [this] { document_.solve(); });
    add("cancel", tr("Cancel the running job"), tr("Cancel"), Qt::Key_Escape, {}, [this] {
        document_.opening().cancel();
        document_.job().cancel();
    });

    add("play", tr("Play or stop"), {}, Qt::Key_Space, "play", [this] { strip_->setPlaying(!strip_->playing()); });
    add("first", tr("First frame of the range"), {}, Qt::Key_Home, "chevron-first",
        [this] { document_.setFrame(document_.shot().range.first); });
    add("last", tr("Last frame of the range"), {}, Qt::Key_End, "chevron-last",
        [this] { document_.setFrame(document_.shot().range.last); });
    add("stepBack", tr("One frame back"), {}, Qt::Key_Left, "step-back",
        [this] { document_.setFrame(document_.frame() - 1); });
    add("stepForward", tr("One frame on"), {}, Qt::Key_Right, "step-forward",
        [this] { document_.setFrame(document_.frame() + 1); });
    add("setIn", tr("Begin the work range here"), {}, Qt::Key_I, {}, [this] {
        document_.setRange({document_.frame(), document_.shot().range.last});
    });
    add("setOut", tr("End the work range here"), {}, Qt::Key_O, {}, [this] {
        document_.setRange({document_.shot().range.first, document_.frame()});
    });

    auto* tools = new QActionGroup(this);
    const auto tool = [&](const char* name, const QString& text, const QString& shortText, int key,
                          const char* iconName, PlateTool which) {
        QAction* a =
            add(QLatin1String(name), text, shortText, QKeySequence(key), QLatin1String(iconName), [this, which] {
                plate_->canvas().setTool(which);
                scene_->canvas().setLassoing(which == PlateTool::lasso);
            });
        a->setCheckable(true);
        tools->addAction(a);
        return a;
    };
    tool("selectTool", tr("Select"), {}, Qt::Key_S, "mouse-pointer-2", PlateTool::select)->setChecked(true);
    tool("lassoTool", tr("Select with a lasso"), {}, Qt::Key_L, "lasso", PlateTool::lasso);
    tool("handTool", tr("Place and mend features by hand"), tr("By hand"), Qt::Key_H, "crosshair", PlateTool::hand);
    tool("maskTool", tr("Draw and shape masks"), tr("Mask"), Qt::Key_M, "pen-tool", PlateTool::mask);
    tool("patchTool", tr("Draw and correct flat patches"), tr("Patch"), Qt::Key_P, "frame", PlateTool::patch);
    tool("edgeTool", tr("Accept and draw straight edges"), tr("Edges"), Qt::Key_E, "spline", PlateTool::edge);
    tool("boxTool", tr("Place a test box on the ground"), tr("Place box"), Qt::Key_B, "box", PlateTool::placeBox);

    auto* modes = new QActionGroup(this);
    const auto mode = [&](const char* name, const QString& text, const QString& shortText, int key, SceneMode which) {
        QAction* a = add(QLatin1String(name), text, shortText, QKeySequence(key), {},
                         [this, which] { scene_->canvas().setMode(which); });
        a->setCheckable(true);
        modes->addAction(a);
        return a;
    };
    mode("orbit", tr("Scene: orbit"), tr("orbit"), Qt::Key_F5, SceneMode::orbit)->setChecked(true);
    mode("top", tr("Scene: from the top"), tr("top"), Qt::Key_F6, SceneMode::top);
    mode("side", tr("Scene: from the side"), tr("side"), Qt::Key_F7, SceneMode::side);
    mode("lensView", tr("Scene: through the lens"), tr("through lens"), Qt::Key_F8, SceneMode::throughLens);

    add("fit", tr("Fit the picture"), {}, Qt::Key_0, {}, [this] { plate_->canvas().fit(); });
    add("fullSize", tr("Picture at 100 %"), {}, QKeySequence(Qt::CTRL | Qt::Key_0), {},
        [this] { plate_->canvas().setZoom(1); });
    add("frameScene", tr("Bring the whole scene into view"), {}, QKeySequence(Qt::SHIFT | Qt::Key_0), {},
        [this] { scene_->canvas().frameAll(); });
    add("plateOnly", tr("Plate view only"), {}, Qt::Key_1, {}, [this] { setViews(1); });
    add("both", tr("Plate and scene view"), {}, Qt::Key_2, {}, [this] { setViews(2); });
    add("sceneOnly", tr("Scene view only"), {}, Qt::Key_3, {}, [this] { setViews(3); });
    add("drawer", tr("Fold the drawer"), {}, QKeySequence(Qt::CTRL | Qt::Key_D), {},
        [this] { drawer_->setVisible(!drawer_->isVisible()); });
    add("theme", tr("Light or dark look"), {}, {}, {}, [] {
        Theme::use(!Theme::isLight());
        applyTheme(*qApp);
    });
    static const char* stepActions[stepCount] = {"stepPlate",  "stepLens",   "stepFeatures", "stepSolve",
                                                 "stepGround", "stepLayout", "stepProof",    "stepExport"};
    const QString stepNames[stepCount] = {tr("Plate"),  tr("Lens"),   tr("Features"), tr("Solve"),
                                          tr("Ground"), tr("Layout"), tr("Proof"),    tr("Export")};
    for (int i = 0; i < stepCount; ++i)
        add(QLatin1String(stepActions[i]), tr("Step: %1").arg(stepNames[i]), stepNames[i],
            QKeySequence(Qt::ALT | (Qt::Key_1 + i)), {}, [this, i] { route_->setCurrent(Step(i)); });
}

std::vector<int> MainWindow::selectionInOrder() const {
    std::vector<int> out;
    for (int id : pickOrder_)
        if (document_.selectedPaths().contains(id)) out.push_back(id);
    return out;
}

void MainWindow::makeGroundActions() {
    connect(&document_, &Document::selectionChanged, this, [this] {
        std::erase_if(pickOrder_, [this](int id) { return !document_.selectedPaths().contains(id); });
        for (int id : document_.selectedPaths())
            if (std::find(pickOrder_.begin(), pickOrder_.end(), id) == pickOrder_.end()) pickOrder_.push_back(id);
    });
    const auto needs = [this](size_t least, const QString& what) {
        if (selectionInOrder().size() >= least) return true;
        showTrouble(what);
        return false;
    };
    add("level", tr("Level: floor through the selected points"), tr("Use selection"),
        QKeySequence(Qt::SHIFT | Qt::Key_L), "ruler", [this, needs] {
            if (!needs(3, tr("Select three or more points on the floor first, in a view or in the table."))) return;
            GroundSpec spec = document_.shot().groundSpec;
            spec.levelPaths = selectionInOrder();
            document_.setGround(tr("Level from %1 points").arg(spec.levelPaths.size()), spec);
        });
    add("autoLevel", tr("Level: find the floor"), tr("Find floor"), {}, {}, [this] {
        GroundSpec spec = document_.shot().groundSpec;
        spec.levelPaths.clear();
        document_.setGround(tr("Find floor"), spec);
    });
    add("origin", tr("Origin at the selected point"), tr("Origin"), QKeySequence(Qt::SHIFT | Qt::Key_O), {},
        [this, needs] {
            if (!needs(1, tr("Select the point that shall be the origin first."))) return;
            GroundSpec spec = document_.shot().groundSpec;
            spec.originPath = selectionInOrder().front();
            document_.setGround(tr("Set origin"), spec);
        });
    add("zAlong", tr("Z axis along the two selected points"), tr("Z along"), QKeySequence(Qt::SHIFT | Qt::Key_Z), {},
        [this, needs] {
            if (!needs(2, tr("Select two points first: the Z axis goes from the first to the second."))) return;
            const auto chosen = selectionInOrder();
            GroundSpec spec = document_.shot().groundSpec;
            spec.zAlong = GroundSpec::Direction{chosen[0], chosen[1]};
            document_.setGround(tr("Set facing"), spec);
        });
    add("scale", tr("Scale: length between the two selected points"), tr("Scale from two points"),
        QKeySequence(Qt::SHIFT | Qt::Key_S), {}, [this, needs] {
            if (!needs(2, tr("Select two points whose distance you know first, then enter it."))) return;
            const auto chosen = selectionInOrder();
            GroundSpec spec = document_.shot().groundSpec;
            auto* field = inspector_->findChild<NumberField*>("scaleLength");
            spec.length = GroundSpec::Length{chosen[0], chosen[1],
                                             spec.length                   ? spec.length->metres
                                             : field && field->value() > 0 ? field->value()
                                                                           : 1.0};
            document_.setGround(tr("Set scale"), spec);
            route_->setCurrent(Step::ground);
            if (field) field->setFocus();
        });
    add("anchor", tr("Name the place of the selected points"), tr("Anchor"), Qt::Key_N, "map-pin", [this, needs] {
        if (!needs(1, tr("Select one or more points first: the anchor goes to their middle."))) return;
        Eigen::Vector3d sum = Eigen::Vector3d::Zero();
        int count = 0;
        for (int id : document_.selectedPaths())
            if (const auto p = document_.shot().worldPointOfPath(id)) sum += *p, ++count;
        if (count == 0)
            return showTrouble(
                tr("None of the selected features has a place in the scene. Choose some that were solved."));
        document_.addThing(Anchor(), sum / count);
    });
    add("removeThing", tr("Remove the selected thing"), tr("Remove"), QKeySequence(Qt::Key_Backspace), {}, [this] {
        if (document_.selectedThing() != 0) document_.removeThing(document_.selectedThing());
    });
}

void MainWindow::makeMenus() {
    const auto fill = [this](QMenu* menu, const QStringList& names) {
        for (const QString& n : names) n.isEmpty() ? (void)menu->addSeparator() : menu->addAction(actions_[n]);
    };
    QMenu* file = menuBar()->addMenu(tr("&File"));
    fill(file, {"open"});
    recent_ = file->addMenu(tr("Recent"));
    connect(recent_, &QMenu::aboutToShow, this, &MainWindow::fillRecent);
    fill(file, {"save", "saveAs", "", "readPaths", "writePaths", "writePatch", "", "locate", "", "quit"});
    fill(menuBar()->addMenu(tr("&Edit")),
         {"undo", "redo", "", "selectAll", "setAside", "bringBack", "", "removeThing", "", "search"});
    fill(menuBar()->addMenu(tr("&Shot")),
         {"match", "follow", "solve", "cancel", "", "setIn", "setOut", "keepBeforeCut", "keepAfterCut"});
    fill(menuBar()->addMenu(tr("L&ens")), {"straightView",
                                           "lensGrid",
                                           "",
                                           "takeMetadata",
                                           "loadLens",
                                           "saveLens",
                                           "",
                                           "chartStills",
                                           "calibrateChart",
                                           "takeChart",
                                           "",
                                           "edgeTool",
                                           "findEdges",
                                           "acceptEdges",
                                           "solveEdges",
                                           "removeProposals",
                                           "",
                                           "writeStraight",
                                           "writeBent",
                                           "writeStmaps"});
    fill(menuBar()->addMenu(tr("Fea&tures")), {"handTool",       "followForward",
                                               "followBackward", "followOneForward",
                                               "followOneBack",  "newReference",
                                               "reanchor",       "carryAlong",
                                               "guidedFollow",   "",
                                               "maskTool",       "suggestMasks",
                                               "removeMask",     "chooseMatte",
                                               "clearMatte",     "",
                                               "patchTool",      "patchBoth",
                                               "patchForward",   "patchBackward",
                                               "removePatch"});
    fill(menuBar()->addMenu(tr("Sol&ve")), {"solve",
                                            "refine",
                                            "liveSolve",
                                            "",
                                            "residualVectors",
                                            "errorMap",
                                            "slipOverlay",
                                            "nextBadFrame",
                                            "",
                                            "addDistance",
                                            "addPlace",
                                            "addHeight",
                                            "addRightAngle",
                                            "addFlat",
                                            "readCheckPoints",
                                            "",
                                            "leaveOutFrame",
                                            "fillGaps",
                                            "smoothPath",
                                            "clearPathEdits",
                                            "",
                                            "makeMover",
                                            "lookForMovers",
                                            "selectMover",
                                            "removeMover"});
    fill(menuBar()->addMenu(tr("&Ground")), {"level", "autoLevel", "origin", "zAlong", "scale"});
    fill(menuBar()->addMenu(tr("&Layout")), {"boxTool", "anchor"});
    fill(menuBar()->addMenu(tr("&Play")), {"play", "stepBack", "stepForward", "first", "last"});
    fill(menuBar()->addMenu(tr("&View")),
         {"selectTool", "lassoTool", "", "plateOnly", "both", "sceneOnly", "", "fit", "fullSize", "holdStill",
          "frameScene", "", "orbit", "top", "side", "lensView", "", "drawer", "theme"});
    fill(menuBar()->addMenu(tr("S&tep")),
         {"stepPlate", "stepLens", "stepFeatures", "stepSolve", "stepGround", "stepLayout", "stepProof", "stepExport"});
}

QWidget* MainWindow::makeBar() {
    auto* bar = new QFrame;
    bar->setObjectName("bar");
    bar->setFixedHeight(40);
    auto* row = new QHBoxLayout(bar);
    row->setContentsMargins(12, 0, 12, 0);
    row->setSpacing(8);
    name_ = new QLabel;
    name_->setObjectName("shotName");
    row->addWidget(name_);
    for (QLabel** badge : {&size_, &rate_, &range_}) {
        *badge = new QLabel;
        (*badge)->setObjectName("badge");
        (*badge)->setFixedHeight(24);
        row->addWidget(*badge);
    }
    row->addSpacing(8);
    match_ = new QPushButton(tr("Match shot"));
    match_->setObjectName("primary");
    match_->setToolTip(actions_["match"]->toolTip());
    connect(match_, &QPushButton::clicked, actions_["match"], &QAction::trigger);
    row->addWidget(match_);
    row->addStretch();
    jobText_ = new QLabel;
    jobText_->setObjectName("jobText");
    row->addWidget(jobText_);
    jobBar_ = new QProgressBar;
    jobBar_->setTextVisible(false);
    jobBar_->setFixedWidth(120);
    jobBar_->setRange(0, 1000);
    row->addWidget(jobBar_);
    cancel_ = new QPushButton(tr("Cancel"));
    cancel_->setObjectName("link");
    cancel_->setToolTip(actions_["cancel"]->toolTip());
    connect(cancel_, &QPushButton::clicked, actions_["cancel"], &QAction::trigger);
    row->addWidget(cancel_);
    return bar;
}

void MainWindow::makeLayout() {
    auto* whole = new QWidget;
    auto* layout = new QVBoxLayout(whole);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->setSpacing(0);
    layout->addWidget(makeBar());

    auto* upper = new QWidget;
    auto* row = new QHBoxLayout(upper);
    row->setContentsMargins(0, 0, 0, 0);
    row->setSpacing(0);
    route_ = new Route(document_);
    plate_ =
        new PlateView(document_, edits_,
                      {actions_["selectTool"], actions_["lassoTool"], actions_["handTool"], actions_["maskTool"],
                       actions_["patchTool"], actions_["edgeTool"], actions_["boxTool"], actions_["straightView"]});
    scene_ = new SceneView(document_, plate_->canvas(),
                           {actions_["orbit"], actions_["top"], actions_["side"], actions_["lensView"]});
    plate_->canvas().setSlip(&slip_);
    scene_->canvas().setSlip(&slip_);
    inspector_ = new Inspector(document_, edits_, lensEdits_, solveEdits_, slip_, actions_);
    inspector_->features().setCanvas(&plate_->canvas());
    views_ = new QSplitter(Qt::Horizontal);
    views_->addWidget(plate_);
    views_->addWidget(scene_);
    views_->setSizes({556, 296});
    views_->setChildrenCollapsible(false);
    row->addWidget(route_);
    row->addWidget(views_, 1);
    row->addWidget(inspector_);
    strip_ = new Strip(
        document_, plate_->canvas(),
        {actions_["first"], actions_["stepBack"], actions_["play"], actions_["stepForward"], actions_["last"]});
    drawer_ = new Drawer(document_, edits_);
    auto* lower = new QWidget;
    auto* lowerLayout = new QVBoxLayout(lower);
    lowerLayout->setContentsMargins(0, 0, 0, 0);
    lowerLayout->setSpacing(0);
    lowerLayout->addWidget(strip_);
    lowerLayout->addWidget(drawer_, 1);
    column_ = new QSplitter(Qt::Vertical);
    column_->addWidget(upper);
    column_->addWidget(lower);
    column_->setStretchFactor(0, 1);
    column_->setSizes({450, 310});
    column_->setChildrenCollapsible(false);
    layout->addWidget(column_, 1);
    setCentralWidget(whole);

    connect(&plate_->canvas(), &PlateCanvas::straightChanged, this,
            [this] { actions_["straightView"]->setChecked(plate_->canvas().straightShown()); });
    connect(&lensEdits_, &LensEdits::told, this, [this](const QString& sentence) {
        drawer_->log(sentence);
        strip_->setSentence({Lamp::good, sentence.toStdString()});
    });
    connect(route_, &Route::stepChosen, inspector_, &Inspector::showStep);
    const auto showEdges = [this](Step step, LensSection section) {
        plate_->canvas().setEdgesShown(step == Step::lens && section == LensSection::edges);
    };
    connect(route_, &Route::stepChosen, this, [=, this](Step step) { showEdges(step, inspector_->lens().section()); });
    connect(&inspector_->lens(), &LensPage::sectionShown, this,
            [=](LensSection section) { showEdges(Step::lens, section); });
    connect(plate_, &PlateView::locateAsked, this, &MainWindow::locateFootage);
    connect(&plate_->canvas(), &PlateCanvas::toolChanged, this, [this] {
        static const QMap<PlateTool, QString> names{{PlateTool::select, "selectTool"}, {PlateTool::lasso, "lassoTool"},
                                                    {PlateTool::placeBox, "boxTool"},  {PlateTool::hand, "handTool"},
                                                    {PlateTool::mask, "maskTool"},     {PlateTool::patch, "patchTool"},
                                                    {PlateTool::edge, "edgeTool"}};
        actions_[names[plate_->canvas().tool()]]->setChecked(true);
        scene_->canvas().setLassoing(plate_->canvas().tool() == PlateTool::lasso);
        // These tools' numbers stand on the page of features.
        const PlateTool t = plate_->canvas().tool();
        if (t == PlateTool::hand || t == PlateTool::mask || t == PlateTool::patch) route_->setCurrent(Step::features);
        if (t == PlateTool::edge) {
            route_->setCurrent(Step::lens);
            inspector_->lens().showSection(LensSection::edges);
        }
    });
    connect(strip_, &Strip::playingChanged, this,
            [this](bool playing) { actions_["play"]->setIcon(icon(playing ? "pause" : "play")); });
}

void MainWindow::refresh() {
    const Shot& s = document_.shot();
    const bool has = s.hasPlate();
    name_->setText(has ? QString::fromStdString(s.name) : tr("no plate"));
    size_->setText(tr("%1 × %2").arg(s.plate.width).arg(s.plate.height));
    rate_->setText(tr("%1 fps%2")
                       .arg(QString::fromStdString(s.rate().label()),
                            s.plate.rateAssumed && !s.overrides.rate ? tr(" assumed") : QString()));
    range_->setText(tr("%1–%2").arg(s.range.first).arg(s.range.last));
    for (QLabel* badge : {size_, rate_, range_}) badge->setVisible(has);
    const QString file = document_.fileName().isEmpty() ? tr("unsaved") : QFileInfo(document_.fileName()).fileName();
    setWindowTitle(has ? tr("%1[*] – Vivid Anchor").arg(file) : tr("Vivid Anchor"));
    setWindowModified(document_.modified());
    const bool paths = !document_.selectedPaths().isEmpty();
    for (const char* n : {"setAside", "bringBack", "anchor"}) actions_[n]->setEnabled(paths);
    for (const char* n :
         {"follow", "save", "saveAs", "play", "first", "last", "stepBack", "stepForward", "setIn", "setOut", "locate"})
        actions_[n]->setEnabled(has);
    actions_["removeThing"]->setEnabled(document_.selectedThing() != 0);
    refreshJob();
}

void MainWindow::refreshJob() {
    const bool opening = document_.opening().running();
    const bool running = document_.job().running() || opening;
    const Progress::State p = opening ? document_.opening().state() : document_.job().state();
    jobText_->setVisible(running);
    jobBar_->setVisible(running);
    cancel_->setVisible(running);
    match_->setEnabled(document_.shot().hasPlate() && !running);
    actions_["match"]->setEnabled(match_->isEnabled());
    actions_["solve"]->setEnabled(match_->isEnabled());
    actions_["cancel"]->setEnabled(running);
    refreshFeatureActions();
    refreshSolveActions();
    refreshLensActions();
    if (!running) return;
    if (opening) {
        jobText_->setText(p.total > 0 ? tr("Opening · %1 %").arg(100 * std::min(p.done, p.total) / p.total)
                                      : tr("Opening"));
        jobBar_->setValue(p.total > 0 ? 1000 * std::min(p.done, p.total) / p.total : 0);
        return;
    }
    QString text = p.stage.empty() ? tr("Starting") : QString::fromStdString(p.stage);
    if (p.total > 0) text += tr(" · frame %1/%2").arg(std::min(p.done, p.total)).arg(p.total);
    if (p.secondsLeft >= 0) text += tr(" · %1 s left").arg(std::max(1L, std::lround(p.secondsLeft)));
    jobText_->setText(text);
    jobBar_->setValue(int(p.fraction * 1000));
}

void MainWindow::say(const QString& sentence) {
    drawer_->log(sentence);
    strip_->setSentence(sentenceThatMatters(document_.shot()));
}

void MainWindow::showTrouble(const QString& sentence) {
    // In the strip, where the eye is, and in the log, where it stays. No dialog hides the picture.
    drawer_->log(sentence);
    strip_->setSentence({Lamp::look, sentence.toStdString()});
}

void MainWindow::setViews(int which) {
    plate_->setVisible(which != 3);
    scene_->setVisible(which != 1);
}

bool MainWindow::openPath(const QString& path) {
    try {
        if (path.endsWith(".vanchor") || path.endsWith(".vanchor~")) {
            QString file = path;
            const QString copy = Document::recoverableCopy(path);
            if (!copy.isEmpty() && isVisible()) {
                QMessageBox ask(
                    QMessageBox::Question, tr("Recover"),
                    tr("There is an autosaved copy of \"%1\" that is newer than the project. Open the copy?")
                        .arg(QFileInfo(path).fileName()),
                    QMessageBox::Yes | QMessageBox::No, this);
                ask.setObjectName("recover");
                if (ask.exec() == QMessageBox::Yes) file = copy;
            }
            document_.openProject(file);
            if (!document_.plateTrouble().isEmpty()) showTrouble(document_.plateTrouble());
        } else {
            document_.openPlateAsNew(path);
            askAboutDamage();
        }
    } catch (const Error& e) {
        showTrouble(QString::fromUtf8(e.what()));
        return false;
    } catch (const Cancelled&) {
        showTrouble(tr("Opening was cancelled."));
        return false;
    }
    remember(path);
    route_->setCurrent(document_.shot().solve->has() ? Step::solve : Step::plate);
    return true;
}

void MainWindow::askAboutDamage() {
    const PlateInfo& plate = document_.shot().plate;
    if (plate.damaged.empty() || !isVisible()) return;
    QMessageBox ask(QMessageBox::Question, tr("Damaged frames"),
                    tr("%1 of %2 frames can't be used; the first is %3: %4\nGo on without them?")
                        .arg(plate.damaged.size())
                        .arg(plate.frames.count())
                        .arg(plate.damaged.front().frame)
                        .arg(QString::fromStdString(plate.damaged.front().cause)),
                    QMessageBox::Yes | QMessageBox::No, this);
    ask.setObjectName("damaged");
    if (ask.exec() == QMessageBox::No) document_.closePlate();
}

void MainWindow::open() {
    if (!mayDiscard()) return;
    const QString file = QFileDialog::getOpenFileName(
        this, tr("Open plate or project"), QSettings().value("folder").toString(),
        tr("Plates and projects (*.vanchor *.mp4 *.mov *.mkv *.mxf *.avi *.m4v *.mpg "
           "*.webm *.ts *.mts *.m2ts *.vob *.wmv *.asf *.flv *.ogv *.y4m *.h264 *.hevc *.gif *.jpg *.jpeg "
           "*.png *.tif *.tiff *.dpx *.exr *.tga *.bmp *.webp *.jp2 *.heic *.avif);;All files (*)"));
    if (!file.isEmpty()) openPath(file);
}

void MainWindow::locateFootage() {
    const QString file = QFileDialog::getOpenFileName(this, tr("Locate footage"),
                                                      QSettings().value("folder").toString(), tr("All files (*)"));
    if (file.isEmpty()) return;
    try {
        document_.relinkPlate(file);
        say(tr("Footage located."));
    } catch (const Error& e) {
        showTrouble(QString::fromUtf8(e.what()));
    } catch (const Cancelled&) {
        showTrouble(tr("Opening was cancelled."));
    }
}

bool MainWindow::saveTo(const QString& file) {
    try {
        document_.save(file);
    } catch (const Error& e) {
        showTrouble(QString::fromUtf8(e.what()));
        return false;
    }
    remember(file);
    drawer_->log(tr("Saved %1.").arg(file));
    return true;
}

bool MainWindow::save() { return document_.fileName().isEmpty() ? saveAs() : saveTo(document_.fileName()); }

bool MainWindow::saveAs() {
    const QString base = document_.fileName().isEmpty() ? QSettings().value("folder").toString() + "/" +
                                                              QString::fromStdString(document_.shot().name) + ".vanchor"
                                                        : document_.fileName();
    QString file = QFileDialog::getSaveFileName(this, tr("Save project"), base, tr("Vivid Anchor project (*.vanchor)"));
    if (file.isEmpty()) return false;
    if (!file.endsWith(".vanchor")) file += ".vanchor";
    return saveTo(file);
}

bool MainWindow::mayDiscard() {
    if (!document_.modified()) return true;
    QMessageBox ask(QMessageBox::Question, tr("Unsaved changes"), tr("The project has changes that are not saved."),
                    QMessageBox::Save | QMessageBox::Discard | QMessageBox::Cancel, this);
    ask.setObjectName("unsaved");
    switch (ask.exec()) {
        case QMessageBox::Save: return save();
        case QMessageBox::Discard: return true;
        default: return false;
    }
}

void MainWindow::remember(const QString& path) {
    QSettings settings;
    const QString absolute = QFileInfo(path).absoluteFilePath();
    QStringList recent = settings.value("recent").toStringList();
    recent.removeAll(absolute);
    recent.prepend(absolute);
    settings.setValue("recent", QStringList(recent.mid(0, 10)));
    settings.setValue("folder", QFileInfo(absolute).absolutePath());
}

void MainWindow::fillRecent() {
    recent_->clear();
    for (const QString& path : QSettings().value("recent").toStringList())
        recent_->addAction(path, this, [this, path] {
            if (mayDiscard()) openPath(path);
        });
    if (recent_->isEmpty()) recent_->addAction(tr("Nothing opened yet"))->setEnabled(false);
}

void MainWindow::closeEvent(QCloseEvent* event) {
    if (document_.opening().running()) {
        // The window has to be there when that comes back.
        document_.opening().cancel();
        return event->ignore();
    }
    if (!mayDiscard()) return event->ignore();
    strip_->setPlaying(false);
    document_.job().cancel();
    event->accept();
}

void MainWindow::dragEnterEvent(QDragEnterEvent* event) {
    if (event->mimeData()->hasUrls() && event->mimeData()->urls().first().isLocalFile()) event->acceptProposedAction();
}

void MainWindow::dropEvent(QDropEvent* event) {
    const QString path = event->mimeData()->urls().first().toLocalFile();
    event->acceptProposedAction();
    if (mayDiscard()) openPath(path);
}

}  // namespace va
