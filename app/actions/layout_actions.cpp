// SPDX-License-Identifier: GPL-3.0-or-later
// The actions of the step Layout.
#include <QApplication>
#include <QClipboard>
#include <QFileDialog>
#include <QFileInfo>
#include <QGuiApplication>
#include <QSettings>

#include "base/error.h"
#include "drawer/stick_panel.h"
#include "inspector/inspector.h"
#include "main_window/main_window.h"
#include "route/route.h"
#include "strip/strip.h"
#include "tray/tray.h"
#include "views/flip_view.h"
#include "views/views.h"

namespace va {

void MainWindow::makeLayoutActions() {
    add("anchor", tr("Anchor: name the position of the selected features"), tr("Anchor"), Qt::Key_N, "map-pin", [this] {
        try {
            layoutEdits_.place(Anchor(), middleOf(document_.shot(), selectionInOrder()));
        } catch (const Error& e) {
            showTrouble(QString::fromUtf8(e.what()));
        }
    });
    add("removeThing", tr("Remove the selected things"), tr("Remove"), QKeySequence(Qt::Key_Backspace), {},
        [this] { layoutEdits_.remove(); });
    add("stance", tr("Stand, lie or face the camera: the next of the three"), tr("Stance"),
        QKeySequence(Qt::SHIFT | Qt::Key_T), {}, [this] { layoutEdits_.nextStance(); });
    add("stand", tr("Stand on the surface"), tr("Stand"), {}, {}, [this] { layoutEdits_.setStance(Stance::stand); });
    add("lie", tr("Lie on the surface"), tr("Lie"), {}, {}, [this] { layoutEdits_.setStance(Stance::lie); });
    add("faceTheCamera", tr("Face the camera"), tr("Face"), {}, {}, [this] { layoutEdits_.setStance(Stance::face); });
    add("thingQuarter", tr("Turn the thing by a quarter"), tr("Quarter"), QKeySequence(Qt::SHIFT | Qt::Key_Q), {},
        [this] { layoutEdits_.quarterTurn(); });
    add("bottomToSurface", tr("Bottom to the surface"), tr("Bottom"), QKeySequence(Qt::SHIFT | Qt::Key_B), {},
        [this] { layoutEdits_.bottomToSurface(0); });
    add("settle", tr("Settle: onto the surface that the plate shows under it"), tr("Settle"),
        QKeySequence(Qt::SHIFT | Qt::Key_D), {}, [this] { layoutEdits_.settle(); });
    add("hairOff", tr("A hair off the surface: 2 mm"), tr("A hair off"), QKeySequence(Qt::CTRL | Qt::SHIFT | Qt::Key_B),
        {}, [this] { layoutEdits_.hairOff(); });
    add("snapFeature", tr("Snap to the nearest solved feature"), tr("To feature"), {}, {},
        [this] { layoutEdits_.snapTo(LayoutEdits::Snap::feature); });
    add("snapAnchor", tr("Snap to the nearest anchor"), tr("To anchor"), {}, {},
        [this] { layoutEdits_.snapTo(LayoutEdits::Snap::anchor); });
    add("snapEdge", tr("Snap to the edge of a plane"), tr("To edge"), {}, {},
        [this] { layoutEdits_.snapTo(LayoutEdits::Snap::planeEdge); });
    add("alongFeatures", tr("Turn the thing along two selected features"), tr("Along"), {}, {},
        [this] { layoutEdits_.alongTwoFeatures(); });
    add("rePlace", tr("Re-place onto the selected features, offset zeroed"), tr("Re-place"),
        QKeySequence(Qt::CTRL | Qt::Key_H), {}, [this] { layoutEdits_.rePlaceOnSelection(false, Offsets::zeroed); });
    add("rePlaceKeep", tr("Re-place onto the selected features, offset kept"), tr("Re-place, kept"),
        QKeySequence(Qt::CTRL | Qt::SHIFT | Qt::Key_H), {},
        [this] { layoutEdits_.rePlaceOnSelection(false, Offsets::kept); });
    add("rePlacePlane", tr("Re-place onto the plane through the selected features"), tr("Onto plane"), {}, {},
        [this] { layoutEdits_.rePlaceOnSelection(true, Offsets::zeroed); });
    add("neighbours", tr("Hang on the plane through its neighbours, where it stands"), tr("Plane"), {}, {},
        [this] { layoutEdits_.neighboursInstead(); });
    add("hangWorld", tr("Hang on the world, where it stands"), tr("On the world"), {}, {},
        [this] { layoutEdits_.rePlace(Hang(), Offsets::inPlace); });
    add("hangCamera", tr("Hang on the camera, where it stands"), tr("On the camera"), {}, {}, [this] {
        layoutEdits_.rePlace({Hang::On::camera, 0, {}}, Offsets::inPlace);
    });
    add("hangMover", tr("Hang on the mover, where it stands"), tr("On the mover"), {}, {}, [this] {
        // The one whose features are selected, else the first.
        const Shot& shot = document_.shot();
        const Mover* mover = shot.movers.empty() ? nullptr : &shot.movers.front();
        for (const int id : document_.selectedPaths())
            if (const Mover* m = shot.moverOfPath(id)) mover = m;
        if (!mover) return showTrouble(tr("There is no mover. Make one in the step Solve."));
        layoutEdits_.rePlace({Hang::On::mover, mover->id, {}}, Offsets::inPlace);
    });
    add("hangPatch", tr("Hang on the patch, where it stands"), tr("On the patch"), {}, {}, [this] {
        const Shot& shot = document_.shot();
        const FlatPatch* patch = shot.patch(document_.selectedPatch());
        if (!patch && !shot.patches.empty()) patch = &shot.patches.front();
        if (!patch) return showTrouble(tr("There is no patch. Draw and track one in the step Features."));
        layoutEdits_.rePlace({Hang::On::patch, patch->id, {}}, Offsets::inPlace);
    });
    add("copyPlace", tr("Copy the thing's place as text"), tr("Copy place"),
        QKeySequence(Qt::CTRL | Qt::SHIFT | Qt::Key_C), {}, [this] {
            if (!layoutEdits_.current()) return showTrouble(tr("Select a thing first."));
            QGuiApplication::clipboard()->setText(layoutEdits_.placeText());
            say(tr("Position, rotation and scale are on the clipboard."));
        });
    const auto copyPart = [this](LayoutEdits::PlacePart part) {
        if (!layoutEdits_.current()) return showTrouble(tr("Select a thing first."));
        QGuiApplication::clipboard()->setText(layoutEdits_.placeText(part));
    };
    add("copyPosition", tr("Copy the thing's position as text"), tr("Copy position"), {}, {},
        [copyPart] { copyPart(LayoutEdits::PlacePart::position); });
    add("copyRotation", tr("Copy the thing's rotation as text"), tr("Copy rotation"), {}, {},
        [copyPart] { copyPart(LayoutEdits::PlacePart::rotation); });
    add("pastePlace", tr("Paste a place onto the thing"), tr("Paste place"),
        QKeySequence(Qt::CTRL | Qt::SHIFT | Qt::Key_V), {},
        [this] { layoutEdits_.pastePlace(QGuiApplication::clipboard()->text()); });
    add("fileSize", tr("The mesh at the size that its file gives"), tr("File's size"), {}, {},
        [this] { layoutEdits_.takeFileSize(); });
    add("setKey", tr("Set a key of the selected thing"), tr("Key"), Qt::Key_K, {}, [this] { layoutEdits_.setKey(); });
    add("keyVisible", tr("Key: hide the thing from here on, or show it"), tr("Eye"), {}, {},
        [this] { layoutEdits_.setVisibleKey(); });
    add("keyColour", tr("Key of the thing's colour"), tr("Colour"), {}, {}, [this] { layoutEdits_.setColourKey(); });
    add("removeKey", tr("Remove the thing's key in this frame"), tr("Remove"), QKeySequence(Qt::ALT | Qt::Key_K), {},
        [this] { layoutEdits_.removeKey(); });
    add("copyKeys", tr("Copy the thing's keys"), tr("Copy"), {}, {}, [this] { layoutEdits_.copyKeys(); });
    add("pasteKeys", tr("Paste keys onto the thing"), tr("Paste"), {}, {}, [this] { layoutEdits_.pasteKeys(); });
    add("group", tr("Group the selected things"), tr("Group"), QKeySequence(Qt::CTRL | Qt::Key_G), {},
        [this] { layoutEdits_.group(); });
    add("stickHere", tr("Judge the place under the pointer: does it stick"), tr("Stick here"),
        QKeySequence(Qt::SHIFT | Qt::Key_J), {}, [this] {
            const auto& tile = plate_->canvas().tile();
            if (!tile) return showTrouble(tr("Point at a surface in the plate first."));
            const LayoutPlace place = placeOf(document_.shot(), *tile);
            if (drawer_->isHidden() || drawer_->part() != Drawer::Part::stick) callDrawer(Drawer::Part::stick);
            drawer_->stick()->judge(place.foot, place.normal);
        });
    add("flipBook", tr("Flip-book: the thing at the start, in the middle and at the end"), tr("Flip-book"), Qt::Key_J,
        {}, [this] { views_->flip().open(); });
    QAction* clean = add("cleanView", tr("Only the plate and its things"), tr("Clean"), Qt::Key_Y, {}, {});
    clean->setCheckable(true);
    connect(clean, &QAction::toggled, this, [this](bool on) { plate_->canvas().setClean(on); });
    add("thingsLook", tr("Things solid, as wire, or both"), tr("Solid, wire"), QKeySequence(Qt::SHIFT | Qt::Key_Y), {},
        [this] {
            const auto next = ThingsLook((int(plate_->canvas().thingsLook()) + 1) % 3);
            plate_->canvas().setThingsLook(next);
            scene_->canvas().setThingsLook(next);
        });
    add("frameSelection", tr("Bring the selection into the scene view"), tr("To selection"),
        QKeySequence(Qt::CTRL | Qt::SHIFT | Qt::Key_0), {}, [this] { scene_->canvas().frameSelection(); });
}

/// The tray is on its page; what is dragged from it is over a view.
void MainWindow::wireTray() {
    Tray* tray = inspector_->layoutPage().tray();
    PlateCanvas& plate = plate_->canvas();
    SceneCanvas& scene = scene_->canvas();
    const auto under = [](QWidget& w, const QPoint& global) {
        // The inset lies over the plate: whoever is on top has it.
        QWidget* top = QApplication::widgetAt(global);
        return w.isVisible() && (top == &w || w.isAncestorOf(top));
    };
    connect(tray, &Tray::draggedOver, this, [this, &plate, &scene, under](const ThingKind& kind, const QPoint& at) {
        plate.showGhost(under(plate, at) ? &kind : nullptr, plate.mapFromGlobal(at));
        scene.showGhost(under(scene, at) ? &kind : nullptr, scene.mapFromGlobal(at));
    });
    connect(tray, &Tray::dropped, this, [this, &plate, &scene, under](const ThingKind& kind, const QPoint& at) {
        const auto whole = withFile(kind);
        if (!whole) {
            plate.showGhost(nullptr, {});
            scene.showGhost(nullptr, {});
        } else if (under(scene, at)) {
            scene.dropThing(*whole, scene.mapFromGlobal(at));
        } else if (under(plate, at)) {
            plate.dropThing(*whole, plate.mapFromGlobal(at));
        } else {
            showTrouble(tr("Drop it onto the picture or into the scene."));
        }
    });
    connect(tray, &Tray::taken, this, [this, &plate](const ThingKind& kind) {
        const auto whole = withFile(kind);
        if (!whole) return;
        plate.setKindInHand(*whole);
        plate.setTool(PlateTool::place);
    });
    const auto tell = [this](const QString& sentence) {
        drawer_->log(sentence);
        strip_->setSentence({Lamp::good, sentence.toStdString()});
    };
    connect(&layoutEdits_, &LayoutEdits::said, this, tell);
    connect(&settle_, &SettlePlace::settled, this, tell);
}

/// A mesh is nothing without its file. Nothing where none was chosen.
std::optional<ThingKind> MainWindow::withFile(const ThingKind& kind) {
    auto mesh = std::get_if<Mesh>(&kind);
    if (!mesh || !mesh->file.empty()) return kind;
    const QString file = QFileDialog::getOpenFileName(this, tr("Choose a mesh"), QSettings().value("folder").toString(),
                                                      tr("Meshes (%1);;All files (*)").arg(QLatin1String(meshEndings)));
    if (file.isEmpty()) return std::nullopt;
    Mesh out = *mesh;
    out.file = file.toStdString();
    return ThingKind(out);
}

/// A mesh or, while things are laid out, a picture that was dropped onto a view. False: it is a plate.
bool MainWindow::dropFile(const QString& file, const QPoint& global) {
    const QString ending = QStringLiteral("*.") + QFileInfo(file).suffix().toLower();
    const bool mesh = QString(QLatin1String(meshEndings)).split(' ').contains(ending);
    if (!mesh && (route_->current() != Step::layout || !document_.shot().hasWorld() || ending == "*.vanchor"))
        return false;
    ThingKind kind = Card();
    if (mesh) kind = Mesh{file.toStdString(), 1, 0, 0, 0};
    else std::get<Card>(kind).file = file.toStdString();
    PlateCanvas& plate = plate_->canvas();
    SceneCanvas& scene = scene_->canvas();
    if (scene.isVisible() && scene.rect().contains(scene.mapFromGlobal(global)))
        scene.dropThing(kind, scene.mapFromGlobal(global));
    else plate.dropThing(kind, plate.mapFromGlobal(global));
    return true;
}

}  // namespace va
