// SPDX-License-Identifier: GPL-3.0-or-later
#include "main_window/main_window.h"

#include <QApplication>
#include <QCloseEvent>
#include <QDragEnterEvent>
#include <QFile>
#include <QFileInfo>
#include <QHBoxLayout>
#include <QMenuBar>
#include <QMimeData>
#include <QSettings>
#include <QVBoxLayout>
#include <clocale>
#include <cmath>

#include "base/error.h"
#include "drawer/drawer.h"
#include "inspector/inspector.h"
#include "route/route.h"
#include "steps/step_table.h"
#include "strip/strip.h"
#include "style/theme.h"
#include "views/views.h"

namespace va {

MainWindow::MainWindow(QWidget* parent) : QMainWindow(parent) {
    // Qt takes over the desktop's numbers, and C's own printing with them; files are written with points everywhere.
    std::setlocale(LC_NUMERIC, "C");
    setObjectName("mainWindow");
    setAcceptDrops(true);
    resize(1280, 800);
    for (const StepInfo& s : stepTable())
        insetAt_[size_t(s.step)] = QSettings().value(QStringLiteral("inset/%1").arg(int(s.step)), s.inset).toBool();
    makeFileActions();
    makeEditActions();
    makeShotActions();
    makeToolActions();
    makeViewActions();
    makeGroundActions();
    makeLayoutActions();
    makeExchangeActions();
    makeProofActions();
    makeFeatureActions();
    makeLensActions();
    makeSolveActions();
    makePhotoActions();
    makeLayout();
    wireParts();
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
    showStep(Step::plate);
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

QWidget* MainWindow::makeBar() {
    auto* bar = new QFrame;
    bar->setObjectName("bar");
    bar->setFixedHeight(40);
    auto* row = new QHBoxLayout(bar);
    row->setContentsMargins(4, 0, 12, 0);
    row->setSpacing(8);
    QMenuBar* menus = makeMenus();
    menus->setSizePolicy(QSizePolicy::Maximum, QSizePolicy::Maximum);
    row->addWidget(menus, 0, Qt::AlignVCenter);
    row->addSpacing(8);
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
    const auto of = [this](std::initializer_list<const char*> names) {
        QList<QAction*> out;
        for (const char* n : names) out << actions_[n];
        return out;
    };
    route_ = new Route(document_);
    plate_ = new PlateView(document_, edits_);
    scene_ = new SceneView(document_, plate_->canvas(), of({"orbit", "top", "front", "side", "lensView"}),
                           actions_["cloudColour"]);
    plate_->canvas().setSlip(&slip_);
    plate_->canvas().setGround(&groundEdits_);
    scene_->canvas().setGround(&groundEdits_);
    plate_->canvas().setPhoto(&photoEdits_);
    plate_->canvas().setLayout(&layoutEdits_);
    plate_->canvas().setProof(&proofEdits_, &proofLive_);
    scene_->canvas().setLayout(&layoutEdits_);
    for (QAction* a : viewActions_) {
        plate_->canvas().addAction(a);
        scene_->canvas().addAction(a);
    }
    connect(&groundEdits_, &GroundEdits::candidateChanged, this, &MainWindow::refreshGroundActions);
    scene_->canvas().setSlip(&slip_);
    QList<QAction*> tools;
    for (const ToolInfo& t : toolTable())
        if (t.inBar) tools << actions_[t.action];
    views_ = new Views(plate_, scene_, {of({"plateOnly", "both", "sceneOnly"}), tools});
    views_->setStill(new StillView(document_, stillEdits_));
    inspector_ = new Inspector({document_, edits_, lensEdits_, solveEdits_, groundEdits_, photoEdits_, stillEdits_,
                                layoutEdits_, exchange_, proofEdits_, proofLive_, slip_, actions_});
    inspector_->features().setCanvas(&plate_->canvas());
    views_->setFlip(new FlipView(document_));
    drawer_ = new Drawer(document_, edits_, layoutEdits_, slip_);
    drawer_->stick()->setProof(&proofLive_);
    const int part = QSettings().value("view/drawer", -1).toInt();
    drawer_->hide();
    views_->setDrawer(drawer_);
    if (part >= 0 && part <= int(Drawer::Part::stick)) callDrawer(Drawer::Part(part));
    auto* row = new QHBoxLayout;
    row->setContentsMargins(0, 0, 0, 0);
    row->setSpacing(0);
    row->addWidget(route_);
    row->addWidget(views_, 1);
    row->addWidget(inspector_);
    layout->addLayout(row, 1);
    strip_ = new Strip(document_, plate_->canvas(), of({"first", "stepBack", "play", "stepForward", "last"}),
                       of({"table", "curves", "things", "stick", "prune", "log"}));
    layout->addWidget(strip_);
    setCentralWidget(whole);
}

void MainWindow::wireParts() {
    PlateCanvas& canvas = plate_->canvas();
    connect(&canvas, &PlateCanvas::undistortedChanged, this,
            [this] { actions_["undistortedView"]->setChecked(plate_->canvas().undistortedShown()); });
    connect(&lensEdits_, &LensEdits::told, this, [this](const QString& sentence) {
        drawer_->log(sentence);
        strip_->setSentence({Lamp::good, sentence.toStdString()});
    });
    connect(route_, &Route::stepChosen, this, &MainWindow::showStep);
    connect(&canvas, &PlateCanvas::levelLineDrawn, this,
            [this](LevelKind kind, const Eigen::Vector2d& from, const Eigen::Vector2d& to) {
                try {
                    groundEdits_.levelByLine(kind, from, to);
                } catch (const InputError& e) {
                    showTrouble(QString::fromUtf8(e.what()));
                }
            });
    connect(&canvas, &PlateCanvas::groundEdgeDrawn, this,
            [this](const Eigen::Vector2d& from, const Eigen::Vector2d& to, bool alongX) {
                try {
                    groundEdits_.faceAlongEdge(from, to, alongX);
                } catch (const InputError& e) {
                    showTrouble(QString::fromUtf8(e.what()));
                }
            });
    connect(&inspector_->lens(), &LensPage::sectionShown, this,
            [this](LensSection section) { plate_->canvas().setEdgesShown(section == LensSection::edges); });
    connect(plate_, &PlateView::locateAsked, this, &MainWindow::locateFootage);
    connect(&canvas, &PlateCanvas::toolChanged, this, &MainWindow::toolTaken);
    wireTray();
    connect(views_, &Views::insetOpened, actions_["both"], &QAction::trigger);
    connect(strip_, &Strip::keyDragged, &layoutEdits_, &LayoutEdits::moveKey);
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
    const bool thing = document_.selectedThing() != 0;
    for (const char* n :
         {"stance",       "stand",       "lie",        "faceTheCamera", "thingQuarter",  "settle",    "bottomToSurface",
          "hairOff",      "snapFeature", "snapAnchor", "snapEdge",      "alongFeatures", "rePlace",   "rePlaceKeep",
          "rePlacePlane", "neighbours",  "hangWorld",  "hangCamera",    "hangMover",     "hangPatch", "copyPlace",
          "pastePlace",   "fileSize",    "setKey",     "removeKey",     "copyKeys",      "group",     "flipBook"})
        actions_[n]->setEnabled(thing);
    actions_["pasteKeys"]->setEnabled(thing && layoutEdits_.hasCopiedKeys());
    for (const char* n : {"setAside", "bringBack", "anchor"}) actions_[n]->setEnabled(paths);
    for (const char* n :
         {"track", "save", "saveAs", "play", "first", "last", "stepBack", "stepForward", "setIn", "setOut", "locate"})
        actions_[n]->setEnabled(has);
    actions_["removeThing"]->setEnabled(document_.selectedThing() != 0);
    refreshGroundActions();
    if (matching_ && s.solve->has()) {
        matching_ = false;
        if (route_->current() < Step::solve) route_->setCurrent(Step::solve);
    }
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
    refreshPhotoActions();
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
    strip_->setStep(route_->current());
}

void MainWindow::showTrouble(const QString& sentence) {
    // In the strip, where the eye is, and in the log, where it stays. No dialog hides the picture.
    drawer_->log(sentence);
    strip_->setSentence({Lamp::look, sentence.toStdString()});
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
    // What was thrown away on purpose is not offered again.
    if (document_.fileName().isEmpty()) QFile::remove(document_.autosaveFile());
    event->accept();
}

void MainWindow::dragEnterEvent(QDragEnterEvent* event) {
    if (event->mimeData()->hasUrls() && event->mimeData()->urls().first().isLocalFile()) event->acceptProposedAction();
}

void MainWindow::dropEvent(QDropEvent* event) {
    const QString path = event->mimeData()->urls().first().toLocalFile();
    event->acceptProposedAction();
    if (dropFile(path, mapToGlobal(event->position().toPoint()))) return;
    if (mayDiscard()) openPath(path);
}

}  // namespace va
