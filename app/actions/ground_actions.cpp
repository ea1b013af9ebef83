// SPDX-License-Identifier: GPL-3.0-or-later
// The actions of the step Ground.
#include <QApplication>
#include <QClipboard>
#include <QFileDialog>
#include <QMenu>

#include "base/error.h"
#include "inspector/inspector.h"
#include "main_window/main_window.h"
#include "route/route.h"
#include "views/plate_view.h"

namespace va {

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
    // ---- level
    add("level", tr("Level: floor through the selected points"), tr("Floor"), QKeySequence(Qt::SHIFT | Qt::Key_L),
        "ruler", [this, needs] {
            if (needs(3, tr("Select three or more points on the floor first, in a view or in the table.")))
                groundEdits_.levelByPoints(LevelKind::floor, selectionInOrder());
        });
    add("levelWall", tr("Level: upright wall through the selected points"), tr("Wall"),
        QKeySequence(Qt::SHIFT | Qt::Key_W), {}, [this, needs] {
            if (needs(3, tr("Select three or more points on an upright wall first.")))
                groundEdits_.levelByPoints(LevelKind::wall, selectionInOrder());
        });
    add("autoLevel", tr("Level: automatic, from all that the shot offers"), tr("Automatic"), {}, {},
        [this] { groundEdits_.levelAutomatically(); });
    add("removeEvidence", tr("Remove the chosen evidence of the level"), tr("Remove"), {}, {}, {});

    // ---- candidates: keys of the views, so that Tab goes on between fields elsewhere
    const auto ofViews = [this](QAction* a) {
        a->setShortcutContext(Qt::WidgetShortcut);
        removeAction(a);
        viewActions_ << a;
    };
    ofViews(add("nextCandidate", tr("Show the next plane of the cloud"), tr("Next"), Qt::Key_Tab, {},
                [this] { groundEdits_.stepCandidate(1); }));
    ofViews(add("lastCandidate", tr("Show the plane before"), tr("Before"), Qt::Key_Backtab, {},
                [this] { groundEdits_.stepCandidate(-1); }));
    ofViews(add("takeGround", tr("Take the plane that is shown as the ground"), tr("As ground"), Qt::Key_Return, {},
                [this] { groundEdits_.takeCandidate(GroundEdits::TakeAs::ground); }));
    add("takeWall", tr("Take the plane that is shown as an upright wall"), tr("As wall"), {}, {},
        [this] { groundEdits_.takeCandidate(GroundEdits::TakeAs::wall); });
    add("takePlane", tr("Keep the plane that is shown, or one through the selected points or patch, as a named plane"),
        tr("Keep"), {}, {}, [this] {
            const auto chosen = selectionInOrder();
            if (!groundEdits_.candidate() && chosen.size() >= 3) return groundEdits_.namePlane(chosen);
            if (!groundEdits_.candidate() && document_.selectedPatch() != 0)
                return groundEdits_.planeOfPatch(document_.selectedPatch());
            groundEdits_.takeCandidate(GroundEdits::TakeAs::plane);
        });

    // ---- origin and axes
    add("origin", tr("Origin at the selected points, or at their middle"), tr("Origin"),
        QKeySequence(Qt::SHIFT | Qt::Key_O), {}, [this, needs] {
            if (!needs(1, tr("Select the point that shall be the origin first, or several for their middle."))) return;
            const auto chosen = selectionInOrder();
            groundEdits_.setOrigin(
                tr("Set origin"),
                {chosen.size() == 1 ? WorldOrigin::Kind::point : WorldOrigin::Kind::middle, chosen, 0, 0, 0});
        });
    add("originCamera", tr("Origin under the camera of this frame"), tr("Under camera"), {}, {}, [this] {
        groundEdits_.setOrigin(tr("Origin under the camera"),
                               {WorldOrigin::Kind::underCamera, {}, document_.frame(), 0, 0});
    });
    add("keepTile", tr("Keep the surface under the pointer as a named plane"), tr("Keep surface"),
        QKeySequence(Qt::SHIFT | Qt::Key_K), {}, [this] {
            const auto& tile = plate_->canvas().tile();
            if (!tile || tile->paths.size() < 3)
                return showTrouble(tr("Point at a surface with solved features first, in the step Ground or Layout."));
            groundEdits_.namePlane(tile->paths);
        });
    add("removePlane", tr("Remove the chosen named plane"), tr("Remove plane"), {}, {}, {});
    add("originCorner", tr("Origin at a corner of the plane that is shown or was kept last; again: the next corner"),
        tr("Corner"), {}, {}, [this] { groundEdits_.originAtCorner(); });
    const auto along = [this, needs](bool x) {
        if (!needs(2, tr("Select two points first: the axis goes from the first to the second."))) return;
        const auto chosen = selectionInOrder();
        groundEdits_.setFacing(tr("Set facing"), {WorldFacing::Kind::points, {chosen[0], chosen[1]}, {}, 0, 0, x, 0});
    };
    add("zAlong", tr("Z axis along the two selected points"), tr("Z along"), QKeySequence(Qt::SHIFT | Qt::Key_Z), {},
        [along] { along(false); });
    add("xAlong", tr("X axis along the two selected points"), tr("X along"), QKeySequence(Qt::SHIFT | Qt::Key_X), {},
        [along] { along(true); });
    add("quarterTurn", tr("Turn the world by a quarter"), tr("Quarter"), {}, {},
        [this] { groundEdits_.quarterTurn(); });
    add("faceWall", tr("Z axis off the wall through the selected points, or off the plane that is shown"),
        tr("Off wall"), {}, {}, [this, needs] {
            std::vector<int> paths = selectionInOrder();
            if (const Candidate* c = groundEdits_.candidate()) paths = c->surface.paths;
            else if (!needs(3, tr("Show a wall among the candidates, or select three or more points on one."))) return;
            groundEdits_.setFacing(tr("Face off a wall"), {WorldFacing::Kind::wall, paths, {}, 0, 0, false, 0});
        });
    add("faceCamera", tr("Z axis towards the camera of this frame"), tr("To camera"), {}, {}, [this] {
        groundEdits_.setFacing(tr("Face the camera"),
                               {WorldFacing::Kind::camera, {}, {}, 0, document_.frame(), false, 0});
    });
    add("copyWorld", tr("Copy the world's transform as text"), tr("Copy"), {}, {},
        [this] { QApplication::clipboard()->setText(groundEdits_.transformText()); });
    add("pasteWorld", tr("Paste a world transform"), tr("Paste"), {}, {}, [this] {
        try {
            groundEdits_.pasteTransform(QApplication::clipboard()->text());
        } catch (const InputError& e) {
            showTrouble(QString::fromUtf8(e.what()));
        }
    });
    add("clearByHand", tr("Forget what was moved by hand"), tr("Reset"), {}, {},
        [this] { groundEdits_.clearByHand(); });
    add("worldOfShot", tr("Take the world of another shot of the same place…"), tr("World of another shot…"), {}, {},
        [this] {
            const QString file = QFileDialog::getOpenFileName(this, tr("Shot or camera with named points in common"),
                                                              {}, tr("Shots and cameras (*.vanchor *.json)"));
            if (file.isEmpty()) return;
            try {
                groundEdits_.takeWorldFrom(file);
            } catch (const InputError& e) {
                showTrouble(QString::fromUtf8(e.what()));
            }
        });

    // ---- scale
    const auto length = [this, needs](LengthKind kind, size_t least, const QString& what) {
        return [this, needs, kind, least, what] {
            if (least > 0 && !needs(least, what)) return;
            KnownLength k;
            k.kind = kind;
            k.frame = document_.frame();
            k.paths = selectionInOrder();
            if (kind != LengthKind::spacing && k.paths.size() > least) k.paths.resize(least);
            // What the solve makes of it so far: the artist corrects it.
            if (auto* field = inspector_->findChild<NumberField*>("scaleLength")) {
                if (field->value() > 0) k.metres = field->value();
                groundEdits_.addLength(k);
                route_->setCurrent(Step::ground);
                field->setFocus();
            }
        };
    };
    add("scale", tr("Scale: the distance between two selected points is known"), tr("Distance"),
        QKeySequence(Qt::SHIFT | Qt::Key_S), {},
        length(LengthKind::distance, 2, tr("Select two points whose distance you know first, then enter it.")));
    add("lengthHeight", tr("Scale: the height of an upright thing is known; foot and top are selected"), tr("Height"),
        {}, {}, length(LengthKind::uprightHeight, 2, tr("Select the foot of an upright thing first, then its top.")));
    add("lengthOverGround", tr("Scale: the height of the selected point over the ground is known"), tr("Over ground"),
        {}, {},
        length(LengthKind::heightOverGround, 1, tr("Select a point whose height over the ground you know first.")));
    add("lengthCamera", tr("Scale: the height of this frame's camera is known"), tr("Camera"), {}, {},
        length(LengthKind::cameraHeight, 0, {}));
    add("lengthSpacing", tr("Scale: the even step of three or more selected points in a row is known"), tr("Spacing"),
        {}, {}, length(LengthKind::spacing, 3, tr("Select three or more points at even steps in a row first.")));
    add("typicalSize", tr("Scale from a typical size (common practice)…"), tr("Typical…"), {}, {},
        [this] { askTypicalSize(); });
    add("removeLength", tr("Remove the chosen length"), tr("Remove"), {}, {}, {});
}

void MainWindow::askTypicalSize() {
    QMenu menu(this);
    menu.addSection(tr("Common practice, no source"));
    for (const TypicalSize& size : typicalSizes()) {
        const size_t points = size.kind == LengthKind::uprightHeight      ? 2
                              : size.kind == LengthKind::heightOverGround ? 1
                              : size.kind == LengthKind::spacing          ? 3
                                                                          : 0;
        QAction* a = menu.addAction(tr("%1: %2 m ± %3").arg(tr(size.name)).arg(size.metres).arg(size.sigma));
        a->setEnabled(selectionInOrder().size() >= points);
        connect(a, &QAction::triggered, this, [this, &size, points] {
            KnownLength k;
            k.kind = size.kind;
            k.paths = selectionInOrder();
            if (size.kind != LengthKind::spacing) k.paths.resize(std::min(k.paths.size(), points));
            k.frame = document_.frame();
            k.metres = size.metres;
            k.sigma = size.sigma;
            k.name = size.name;
            groundEdits_.addLength(k);
        });
    }
    menu.exec(QCursor::pos());
}

void MainWindow::refreshGroundActions() {
    const bool here = route_ && route_->current() == Step::ground;
    // Tab and Return belong to the candidates only where they are shown.
    for (QAction* a : viewActions_) a->setEnabled(here || a == actions_["takeGround"]);
    const bool solved = document_.shot().solve->hasDepth(), world = document_.shot().hasWorld();
    for (const char* n : {"autoLevel", "takeWall", "takePlane", "originCorner"}) actions_[n]->setEnabled(solved);
    for (const char* n : {"originCamera", "quarterTurn", "faceCamera", "copyWorld", "pasteWorld", "worldOfShot",
                          "lengthCamera", "typicalSize"})
        actions_[n]->setEnabled(world);
    actions_["takeGround"]->setEnabled(here && solved && groundEdits_.candidate());
    actions_["removePlane"]->setEnabled(!document_.shot().groundSpec.planes.empty());
    actions_["removeEvidence"]->setEnabled(!document_.shot().groundSpec.level.empty());
    actions_["removeLength"]->setEnabled(!document_.shot().groundSpec.lengths.empty());
}

}  // namespace va
