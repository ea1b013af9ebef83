// SPDX-License-Identifier: GPL-3.0-or-later
#include "document/solve_edits.h"

#include <QFile>
#include <QFileInfo>
#include <algorithm>

#include "base/error.h"
#include "workflow/check_points.h"
#include "workflow/match_shot.h"
#include "workflow/mover_features.h"
#include "workflow/mover_work.h"
#include "workflow/refine_work.h"
#include "workflow/stale.h"

namespace va {

void SolveEdits::setChoices(const SolveChoices& choices) {
    if (choices == document_.shot().choices) return;
    Shot next = document_.shot();
    next.choices = choices;
    document_.edit(tr("Choose the kind of move"), next);
}

void SolveEdits::makeMover() {
    const QSet<int>& chosen = document_.selectedPaths();
    try {
        const Shot next = withMover(document_.shot(), {chosen.begin(), chosen.end()});
        document_.edit(tr("Make a mover"), next);
    } catch (const Error& e) {
        return Q_EMIT document_.troubled(QString::fromUtf8(e.what()));
    }
    if (!document_.shot().solve->has()) return;
    document_.startJob(tr("Solve the mover"), Part::paths | Part::solve | Part::movers,
                       [](const Shot& s, Progress& p, Shot& soFar) {
                           soFar = withMoversSolved(s, p);
                           return withSharedLens(withMoverFeatures(soFar, p), p);
                       });
}

void SolveEdits::lookForMovers() {
    // With the solve: a standing camera takes its lens from what moves, and the new features are no news for it.
    document_.startJob(tr("Look for movers"), Part::paths | Part::solve | Part::movers,
                       [](const Shot& s, Progress& p, Shot&) { return withMoversFound(s, p); });
}

void SolveEdits::refine() {
    document_.startJob(tr("Refine"), Part::paths | Part::solve | Part::movers,
                       [](const Shot& s, Progress& p, Shot&) { return withRefinement(s, {}, p); });
}

void SolveEdits::setReadout(Known known, double share) {
    Shot next = document_.shot();
    next.priors.readoutKnown = known;
    next.priors.readout = share;
    if (next.priors == document_.shot().priors) return;
    document_.edit(tr("Choose how rows were read"), next);
}

void SolveEdits::addCheckPoint(PointTie::Kind kind) {
    const QSet<int>& chosen = document_.selectedPaths();
    std::vector<int> ids(chosen.begin(), chosen.end());
    std::sort(ids.begin(), ids.end());
    try {
        document_.edit(tr("Add check point"), withCheckPoint(document_.shot(), kind, ids));
    } catch (const Error& e) {
        Q_EMIT document_.troubled(QString::fromUtf8(e.what()));
    }
}

void SolveEdits::changeCheckPoint(const QString& name, int id, const std::function<void(CheckPoint&)>& change) {
    Shot next = document_.shot();
    for (CheckPoint& c : next.checkPoints)
        if (c.id == id) change(c);
    document_.edit(name, next);
}

void SolveEdits::removeCheckPoint(int id) {
    Shot next = document_.shot();
    std::erase_if(next.checkPoints, [id](const CheckPoint& c) { return c.id == id; });
    document_.edit(tr("Remove check point"), next);
}

void SolveEdits::readCheckPoints(const QString& file) {
    QFile in(file);
    if (!in.open(QIODevice::ReadOnly))
        return Q_EMIT document_.troubled(
            tr("\"%1\" can't be read. Check that it exists and that you may read it.").arg(file));
    try {
        const auto points = va::readCheckPoints(in.readAll().toStdString(), QFileInfo(file).fileName().toStdString());
        document_.edit(tr("Read check points"), withCheckPoints(document_.shot(), points));
        Q_EMIT document_.message(
            tr("%1 check points read. Select a feature and assign it to each.").arg(points.size()));
    } catch (const Error& e) {
        Q_EMIT document_.troubled(QString::fromUtf8(e.what()));
    }
}

void SolveEdits::assignCheckPoint(int id) {
    const QSet<int>& chosen = document_.selectedPaths();
    const CheckPoint* c = document_.shot().checkPoint(id);
    if (!c) return;
    const auto kind = c->measure.kind;
    if ((kind == PointTie::Kind::position || kind == PointTie::Kind::level) && chosen.size() != 1)
        return Q_EMIT document_.troubled(tr("Select the one feature that is at this place."));
    std::vector<int> ids(chosen.begin(), chosen.end());
    std::sort(ids.begin(), ids.end());
    if (ids.size() != c->measure.paths.size() && kind != PointTie::Kind::position && kind != PointTie::Kind::level)
        return Q_EMIT document_.troubled(tr("Select %1 features for it.").arg(c->measure.paths.size()));
    changeCheckPoint(tr("Assign check point"), id, [&](CheckPoint& o) { o.measure.paths = ids; });
}

void SolveEdits::leaveOutFrame() {
    std::vector<PathEdit> edits = document_.shot().pathEdits;
    edits.push_back({PathEdit::Kind::leaveOut, {document_.frame(), document_.frame()}, 0});
    document_.edit(tr("Leave frame %1 out of the camera's path").arg(document_.frame()),
                   withCameraPathEdits(document_.shot(), edits));
}

void SolveEdits::fillGaps() {
    std::vector<PathEdit> edits = document_.shot().pathEdits;
    edits.push_back({PathEdit::Kind::fill, document_.shot().range, 0});
    const Shot next = withCameraPathEdits(document_.shot(), edits);
    const int won = next.solve->solvedCount() - document_.shot().solve->solvedCount();
    if (won == 0)
        return Q_EMIT document_.troubled(
            tr("No frame without a camera lies between solved ones: there is nothing to fill."));
    document_.edit(tr("Fill %1 frames of the camera's path").arg(won), next);
}

void SolveEdits::smoothPath(FrameRange frames, double width) {
    if (frames.count() < 3 || !(width > 0))
        return Q_EMIT document_.troubled(tr("Smoothing takes three frames or more and a width above zero."));
    std::vector<PathEdit> edits = document_.shot().pathEdits;
    edits.push_back({PathEdit::Kind::smooth, frames, width});
    document_.edit(tr("Smooth the camera's path"), withCameraPathEdits(document_.shot(), edits));
}

void SolveEdits::clearPathEdits() {
    document_.edit(tr("Take the camera's path as solved"), withCameraPathEdits(document_.shot(), {}));
}

void SolveEdits::changeMover(const QString& name, int id, const std::function<void(Mover&)>& change) {
    Shot next = document_.shot();
    for (Mover& m : next.movers)
        if (m.id == id) change(m);
    document_.edit(name, next);
}

void SolveEdits::swapScene(int id) {
    document_.edit(tr("Take the mover for the scene"), withSceneSwapped(document_.shot(), id));
    if (stalenessOf(document_.shot()).solve) return document_.solve();
    document_.startJob(tr("Solve the mover"), Part::solve | Part::movers,
                       [](const Shot& s, Progress& p, Shot&) { return withSharedLens(withMoversSolved(s, p), p); });
}

void SolveEdits::removeMover(int id) {
    Shot next = document_.shot();
    std::erase_if(next.movers, [id](const Mover& m) { return m.id == id; });
    document_.edit(tr("Remove mover"), next);
}

}  // namespace va
