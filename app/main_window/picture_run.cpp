// SPDX-License-Identifier: GPL-3.0-or-later
#include "main_window/picture_run.h"

#include <QAction>
#include <QCheckBox>
#include <QCoreApplication>
#include <QDeadlineTimer>
#include <QDir>
#include <QEventLoop>
#include <QFileInfo>
#include <QLineEdit>
#include <QPainter>
#include <QPixmap>
#include <QPushButton>
#include <QTimer>
#include <algorithm>

#include "drawer/stick_panel.h"
#include "inspector/inspector.h"
#include "main_window/laid_out.h"
#include "main_window/main_window.h"
#include "main_window/scene_dialogs.h"
#include "plate_view/plate_canvas.h"
#include "track/find_features.h"
#include "views/flip_view.h"

namespace va {

void PictureRun::waitUntil(const std::function<bool()>& done, int milliseconds) {
    const QDeadlineTimer deadline(milliseconds);
    while (!done() && !deadline.hasExpired()) {
        QEventLoop loop;
        QTimer::singleShot(20, &loop, &QEventLoop::quit);
        loop.exec();
    }
}

void PictureRun::settle() {
    auto* canvas = window_.findChild<PlateCanvas*>();
    waitUntil([&] { return canvas->pictureReady(window_.document().frame()); }, 10'000);
    waitUntil([] { return false; }, 150);
}

bool PictureRun::take(const QString& name) {
    settle();
    return window_.grab().save(folder_ + "/" + name + ".png");
}

bool PictureRun::takeProof() {
    Document& document = window_.document();
    const auto rendered = [this] { waitUntil([this] { return window_.proofLive().finished(); }, 60'000); };
    window_.action("stepProof")->trigger();
    const QFileInfo plate(QString::fromStdString(document.shot().plateSpec));
    Shot empty = document.shot();
    empty.things.clear();
    document.edit("", empty);
    layOutProof(window_, plate.absolutePath() + "/../../props");
    rendered();
    bool good = take("proof");
    window_.inspector().reveal(window_.findChild<QWidget*>("proofMasks"));
    window_.proofLive().setLook(ProofLive::Look::wipe);
    window_.proofLive().setWipe(0.6);
    good = take("proof-front") && good;
    window_.proofLive().setLook(ProofLive::Look::proof);
    return good;
}

bool PictureRun::takePhoto() {
    window_.action("photoTool")->trigger();
    window_.inspector().reveal(window_.findChild<QWidget*>("photoFocalHeld"));
    bool good = take("photo");
    // By eye: a rectangle over the floor alone, on which the focal length is tried.
    window_.action("photoRectangle")->trigger();
    window_.action("clearFoundLines")->trigger();
    window_.photoEdits().setFocalByEye(window_.document().shot().solve->lens.focalPx);
    good = take("photo-by-eye") && good;
    window_.action("stepGround")->trigger();
    return take("photo-ground") && good;
}

bool PictureRun::takeStills() {
    Document& document = window_.document();
    // Photos in a folder beside the plate's that is named after it, as those of the demo are.
    const QFileInfo plate(QString::fromStdString(document.shot().plateSpec));
    const QDir folder(plate.absolutePath() + "/../" + plate.completeBaseName() + "-stills");
    QStringList stills;
    for (const QFileInfo& f : folder.entryInfoList({"*.jpg"})) stills << f.canonicalFilePath();
    if (stills.isEmpty()) return take("solve");
    window_.stillEdits().addFiles(stills);
    window_.action("findStillMarks")->trigger();
    waitUntil([&] { return !document.job().running(); }, 120'000);
    window_.inspector().reveal(window_.findChild<QWidget*>("stillsNote"));
    const bool good = take("stills");
    window_.stillEdits().show(0);
    window_.action("stepGround")->trigger();
    return take("stills-ground") && good;
}

bool PictureRun::takeExchange() {
    Document& document = window_.document();
    window_.action("stepExport")->trigger();
    for (const ExportFormat* f : exportFormats())
        window_.findChild<QCheckBox*>(QStringLiteral("format-%1").arg(QLatin1String(f->word)))->setChecked(true);
    const QString folder = QDir::tempPath() + "/va-pictures-export";
    window_.findChild<QLineEdit*>("exportFolder")->setText(folder);
    window_.findChild<QPushButton*>("exportButton")->click();
    waitUntil([&] { return !window_.exchangeEdits().running() && document.shot().exportedFrom != 0; }, 60'000);
    auto* named = window_.findChild<QLineEdit*>("exportFolder");
    named->setText("shots/slipway/export");
    named->setModified(true);
    bool good = take("export");
    QDir(folder).removeRecursively();
    // A camera from elsewhere, where the demo has one for this plate.
    const QDir plate = QFileInfo(QString::fromStdString(document.shot().plateSpec)).absoluteDir();
    const QString scene =
        plate.filePath("../../exchange/%1_from_elsewhere.usda").arg(QString::fromStdString(document.shot().name));
    if (!QFile::exists(scene)) return good;
    window_.takeScene(scene);
    const auto shown = [&](const char* name, const char* picture) {
        auto* dialog = window_.findChild<QDialog*>(name);
        if (!dialog) return false;
        dialog->resize(dialog->sizeHint().expandedTo({720, 300}));
        waitUntil([] { return false; }, 300);
        // Over the window, as it is seen.
        QPixmap whole = window_.grab();
        QPainter painter(&whole);
        painter.drawPixmap((whole.width() - dialog->width()) / 2, (whole.height() - dialog->height()) / 2,
                           dialog->grab());
        return whole.save(folder_ + "/" + picture + ".png");
    };
    good = shown("takeScene", "take-camera") && good;
    auto* ask = window_.findChild<TakeSceneDialog*>("takeScene");
    if (!ask) return false;
    // By its own numbers the camera is 25 fps' one, first to first.
    ExchangeEdits::Offered offered = ask->offered();
    ask->reject();
    for (Misfit& m : offered.misfits)
        if (m.chosen < 0) m.chosen = m.about == Misfit::About::rate ? 1 : 0;
    if (const auto c = window_.exchangeEdits().compareWith(offered)) {
        CompareDialog dialog(*c, offered.file, &window_);
        dialog.show();
        good = shown("comparison", "comparison") && good;
    }
    return good;
}

bool PictureRun::takeLensTools() {
    Document& document = window_.document();
    const auto idle = [&] { return !document.job().running(); };
    const int before = document.undoStack().index();
    document.setFrame(document.shot().range.first);
    window_.action("edgeTool")->trigger();
    window_.action("findEdges")->trigger();
    waitUntil(idle, 60'000);
    window_.action("acceptEdges")->trigger();
    bool good = take("edges");
    window_.action("selectTool")->trigger();
    // Stills of a chart that lie beside the plate's folder, as those of the demo do.
    const QDir charts(QFileInfo(QString::fromStdString(document.shot().plateSpec)).absolutePath() + "/../lens-chart");
    QStringList stills;
    for (const QFileInfo& f : charts.entryInfoList({"*.jpg"})) stills << f.canonicalFilePath();
    if (!stills.isEmpty()) {
        window_.lensEdits().setChartStills(stills);
        window_.action("calibrateChart")->trigger();
        waitUntil(idle, 120'000);
        window_.findChild<QPushButton*>("lensSection2")->click();
        good = take("chart") && good;
    }
    window_.findChild<QPushButton*>("lensSection0")->click();
    good = take("camera-back") && good;
    document.undoStack().setIndex(before);
    return good;
}

bool PictureRun::takeSolveTools() {
    Document& document = window_.document();
    waitUntil([&] { return window_.slip().found() != nullptr; }, 20'000);
    window_.action("residualVectors")->trigger();
    window_.action("slipOverlay")->trigger();
    bool good = take("solve");
    window_.action("residualVectors")->trigger();
    window_.action("slipOverlay")->trigger();
    const int before = document.undoStack().index();
    auto* inspector = window_.findChild<Inspector*>();
    const auto showing = [&](const char* name) {
        if (auto* label = window_.findChild<QLabel*>(name)) inspector->reveal(label);
    };
    const auto solved = [&] { return !document.job().running() && !window_.live().busy(); };
    window_.action("refine")->trigger();
    waitUntil(solved, 60'000);
    window_.action("errorMap")->trigger();
    waitUntil([&] { return window_.slip().found() != nullptr; }, 20'000);
    showing("refineReport");
    good = take("refine") && good;
    window_.action("errorMap")->trigger();

    // A distance between two floor points that are far apart in this frame, and a frame left out of the path.
    std::vector<int> floor;
    for (int id : document.shot().ground->usedPaths)
        if (const Path* p = document.shot().path(id); p && p->at(document.frame())) floor.push_back(id);
    if (floor.size() >= 2) {
        const auto x = [&](int id) { return document.shot().path(id)->at(document.frame())->x; };
        const auto [left, right] =
            std::minmax_element(floor.begin(), floor.end(), [&](int a, int b) { return x(a) < x(b); });
        document.selectPaths({*left, *right});
        window_.action("addDistance")->trigger();
        window_.solveEdits().changeCheckPoint("Set distance", document.shot().checkPoints.back().id, [](CheckPoint& c) {
            c.name = "planks, left to right";
            c.measure.length = 3.2;
        });
        window_.solveEdits().smoothPath({document.frame() - 8, document.frame() + 8}, 2);
        waitUntil(solved, 60'000);
        waitUntil([&] { return window_.slip().found() != nullptr; }, 20'000);
        showing("pathNote");
        showing("checkNote");
        good = take("check-points") && good;
    }
    document.undoStack().setIndex(before);
    window_.action("lookForMovers")->trigger();
    waitUntil([&] { return !document.job().running(); }, 60'000);
    if (document.shot().movers.empty()) return good;
    waitUntil([&] { return window_.slip().found() != nullptr; }, 20'000);
    window_.action("selectMover")->trigger();
    showing("moverNote");
    good = take("movers") && good;
    // The yard laid out, with the gull's keys in the curves.
    window_.action("stepLayout")->trigger();
    layOutYard(window_, QFileInfo(QString::fromStdString(document.shot().plateSpec)).absolutePath() + "/../../props");
    window_.action("curves")->trigger();
    good = take("keys") && good;
    window_.action("curves")->trigger();
    window_.layoutEdits().setLayers("Shake", [] {
        CameraLayers layers;
        layers.shake.on = true;
        return layers;
    }());
    inspector->reveal(window_.findChild<QLabel*>("layersNote"));
    window_.action("things")->trigger();
    good = take("laid-out") && good;
    window_.action("things")->trigger();
    window_.action("stepSolve")->trigger();
    document.undoStack().setIndex(before);
    return good;
}

int PictureRun::exec() {
    Document& document = window_.document();
    if (!document.shot().hasPlate() || !QDir().mkpath(folder_)) return 1;
    bool good = take("plate");
    window_.action("match")->trigger();
    waitUntil(
        [&] { return document.job().state().done > document.job().state().total / 2 || !document.job().running(); },
        60'000);
    good = take("matching") && good;
    waitUntil([&] { return !document.job().running(); }, 300'000);
    const Shot& solved = document.shot();
    document.setFrame((solved.range.first * 3 + solved.range.last * 2) / 5);
    window_.action("stepSolve")->trigger();
    if (solved.solve->motion == Motion::still) return takePhoto() && good ? 0 : 1;
    if (solved.solve->motion == Motion::nodalPan) return takeStills() && good ? 0 : 1;
    if (!solved.solve->has() || solved.solve->motion != Motion::free) return take("solve") && good ? 0 : 1;
    good = takeSolveTools() && good;

    window_.action("stepLens")->trigger();
    window_.findChild<QPushButton*>("lensSection1")->click();
    window_.action("lensGrid")->setChecked(true);
    window_.action("undistortedView")->setChecked(true);
    good = take("lens") && good;
    window_.action("undistortedView")->setChecked(false);
    window_.action("lensGrid")->setChecked(false);
    good = takeLensTools() && good;

    document.setFrame((solved.range.first * 3 + solved.range.last * 2) / 5);

    // A known height of the camera does for a scale; the level stays the one that was found.
    window_.action("stepGround")->trigger();
    auto* canvas = window_.findChild<PlateCanvas*>();
    window_.groundEdits().addLength({LengthKind::cameraHeight, {}, document.frame(), 1.6, 0, ""});
    // The best wall among the candidates, and the surface tile on the ground before it.
    for (int i = 0; i < window_.groundEdits().candidateCount(); ++i)
        if (solved.groundBasis->candidates[size_t(i)].kind == SurfaceKind::wall) {
            window_.groundEdits().showCandidate(i);
            break;
        }
    const QPointF pointer(canvas->width() * 0.55, canvas->height() * 0.80);
    QMouseEvent hover(QEvent::MouseMove, pointer, canvas->mapToGlobal(pointer), Qt::NoButton, Qt::NoButton,
                      Qt::NoModifier);
    QApplication::sendEvent(canvas, &hover);
    good = take("ground") && good;
    window_.action("stepLayout")->trigger();
    layOut(*canvas);
    good = take("layout") && good;
    good = takeLayout() && good;
    good = takeExchange() && good;
    window_.action("lensView")->trigger();
    document.setFrame(solved.range.last);
    good = takeProof() && good;
    window_.action("top")->trigger();
    window_.action("stepFeatures")->trigger();
    document.setFrame((solved.range.first + solved.range.last) / 2);
    window_.action("selectAll")->trigger();
    good = take("features") && good;
    return takeFeatureTools() && good ? 0 : 1;
}

/// A post and a box on the ground, a label on the sign of the yard, an anchor at the shed.
void PictureRun::layOut(PlateCanvas& canvas) {
    Document& document = window_.document();
    const auto drop = [&](const ThingKind& kind, double x, double y) {
        const Shot& shot = document.shot();
        const QPointF at = canvas.fromPixel(x * shot.plate.width, y * shot.plate.height);
        canvas.dropThing(kind, at);
    };
    document.setFrame((document.shot().range.first + document.shot().range.last) / 2);
    Label label;
    label.words = "SLIP 4";
    drop(label, 0.09, 0.44);
    drop(Post(), 0.74, 0.82);
    drop(Anchor(), 0.66, 0.55);
    drop(Box(), 0.56, 0.80);
}

bool PictureRun::takeLayout() {
    Document& document = window_.document();
    auto* canvas = window_.findChild<PlateCanvas*>();
    const ThingKind cone = Cone();
    canvas->showGhost(&cone, canvas->fromPixel(0.4 * document.shot().plate.width, 0.86 * document.shot().plate.height));
    bool good = take("placing");
    canvas->showGhost(nullptr, {});
    window_.action("things")->trigger();
    good = take("things") && good;
    window_.action("stick")->trigger();
    auto* stick = window_.findChild<StickPanel*>();
    waitUntil([&] { return stick->strip() != nullptr && !stick->busy(); }, 120'000);
    good = take("stick") && good;
    window_.action("stick")->trigger();
    window_.action("flipBook")->trigger();
    auto* flip = window_.findChild<FlipView*>();
    waitUntil([&] { return flip->ready(); }, 60'000);
    good = take("flip-book") && good;
    flip->hide();
    return good;
}

bool PictureRun::takeFeatureTools() {
    Document& document = window_.document();
    FeatureEdits& edits = window_.edits();
    const PlateInfo& plate = document.shot().plate;
    window_.action("plateOnly")->trigger();

    // By hand: a strong corner near the middle of the lower half, tracked to the end.
    document.setFrame(document.shot().range.first);
    settle();
    const auto source = openPlate(document.shot().plateSpec, document.shot().overrides);
    FindOptions find;
    find.count = 40;
    find.margin = plate.width / 5;
    const auto corners = findFeatures(Pyramid(source->luma(document.frame()), 1).level(0), {}, find);
    if (corners.empty()) return false;
    window_.action("handTool")->trigger();
    edits.addHandFeature({double(corners.front().x), double(corners.front().y)});
    window_.action("trackForward")->trigger();
    waitUntil([&] { return !document.job().running(); }, 120'000);
    document.setFrame(document.shot().range.first + 12);
    bool good = take("hand");
    window_.action("curves")->trigger();
    good = take("curves") && good;
    window_.action("curves")->trigger();

    window_.action("maskTool")->trigger();
    const double w = plate.width, h = plate.height;
    const auto knot = [&](double x, double y, double dx, double dy) {
        return MaskPoint{{x * w, y * h}, {-dx * w, -dy * h}, {dx * w, dy * h}};
    };
    edits.addMask({knot(0.02, 0.30, 0, 0), knot(0.30, 0.27, 0.06, 0.02), knot(0.62, 0.31, 0.06, 0.01),
                   knot(0.98, 0.24, 0, 0), knot(0.98, 0.02, 0, 0), knot(0.02, 0.02, 0, 0)});
    edits.changeMask("Feather", document.selectedMask(), [](MaskShape& m) {
        m.feather = 24;
        m.name = "sky";
    });
    good = take("masks") && good;

    // The sign of the boatyard, as it stands in the demo clip's first frame.
    window_.action("patchTool")->trigger();
    document.setFrame(document.shot().range.first);
    edits.addPatch({Eigen::Vector2d(0.158 * w, 0.382 * h),
                    {0.275 * w, 0.386 * h},
                    {0.275 * w, 0.499 * h},
                    {0.159 * w, 0.505 * h}});
    window_.action("patchBoth")->trigger();
    waitUntil([&] { return !document.job().running(); }, 120'000);
    document.setFrame(document.shot().range.first + 24);
    good = take("patch") && good;

    window_.action("selectTool")->trigger();
    window_.action("both")->trigger();
    window_.action("prune")->trigger();
    if (auto* rule = window_.findChild<QCheckBox*>("rule5")) rule->setChecked(true);
    if (auto* rule = window_.findChild<QCheckBox*>("rule0")) rule->setChecked(true);
    document.selectPaths({});
    waitUntil([] { return false; }, 300);
    return take("prune") && good;
}

}  // namespace va
