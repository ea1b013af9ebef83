// SPDX-License-Identifier: GPL-3.0-or-later
#include "document/ground_edits.h"

#include "ground/transform_text.h"
#include "workflow/ground_work.h"

namespace va {

GroundEdits::GroundEdits(Document& document) : document_(document) {
    connect(&document_, &Document::shotChanged, this, [this] {
        if (of_ == document_.shot().groundBasis) return;
        of_ = document_.shot().groundBasis;
        if (candidate_ >= 0) showCandidate(-1);
    });
}

int GroundEdits::candidateCount() const {
    const auto& basis = document_.shot().groundBasis;
    return basis ? int(basis->candidates.size()) : 0;
}

const Candidate* GroundEdits::candidate() const {
    return candidate_ >= 0 && candidate_ < candidateCount()
               ? &document_.shot().groundBasis->candidates[size_t(candidate_)]
               : nullptr;
}

void GroundEdits::showCandidate(int index) {
    candidate_ = index >= 0 && index < candidateCount() ? index : -1;
    Q_EMIT candidateChanged();
}

void GroundEdits::stepCandidate(int by) {
    const int count = candidateCount();
    if (count == 0) {
        Q_EMIT document_.troubled(tr("There are no planes to step through: solve the shot first."));
        return;
    }
    // Round through all of them and "none".
    const int places = count + 1;
    showCandidate((candidate_ + 1 + by + places) % places - 1);
}

void GroundEdits::change(const QString& name, const std::function<void(GroundSpec&)>& how) {
    GroundSpec spec = document_.shot().groundSpec;
    how(spec);
    document_.setGround(name, spec);
}

void GroundEdits::takeCandidate(TakeAs as) {
    const Candidate* c = candidate();
    if (!c) {
        Q_EMIT document_.troubled(tr("No candidate is shown. Tab steps through the planes of the cloud."));
        return;
    }
    const std::vector<int> paths = c->surface.paths;
    showCandidate(-1);
    if (as == TakeAs::plane) return namePlane(paths);
    levelByPoints(as == TakeAs::ground ? LevelKind::floor : LevelKind::wall, paths);
}

void GroundEdits::levelByPoints(LevelKind kind, const std::vector<int>& paths) {
    const bool floor = kind == LevelKind::floor;
    change(floor ? tr("Level by a floor of %1 points").arg(paths.size())
                 : tr("Level by a wall of %1 points").arg(paths.size()),
           [&](GroundSpec& spec) {
               // There is one ground; walls add up.
               if (floor) std::erase_if(spec.level, [](const LevelEvidence& e) { return e.kind == LevelKind::floor; });
               spec.level.push_back({kind, paths, {}});
           });
}

void GroundEdits::levelByLine(LevelKind kind, const Eigen::Vector2d& from, const Eigen::Vector2d& to) {
    const int frame = document_.frame();
    PictureLine line{frame, from, to};
    if (kind == LevelKind::upright) line = lineAlongEdge(document_.shot(), line);
    change(kind == LevelKind::horizon ? tr("Level by the horizon") : tr("Level by an upright edge"),
           [&](GroundSpec& spec) {
               // One horizon a frame.
               if (kind == LevelKind::horizon)
                   std::erase_if(spec.level,
                                 [&](const LevelEvidence& e) { return e.kind == kind && e.line.frame == frame; });
               spec.level.push_back({kind, {}, line});
           });
}

void GroundEdits::levelAutomatically() {
    change(tr("Automatic level"), [](GroundSpec& spec) { spec.level.clear(); });
}

void GroundEdits::removeEvidence(size_t index) {
    if (index >= document_.shot().groundSpec.level.size()) return;
    change(tr("Remove evidence of the level"),
           [&](GroundSpec& spec) { spec.level.erase(spec.level.begin() + std::ptrdiff_t(index)); });
}

void GroundEdits::namePlane(const std::vector<int>& paths) {
    change(tr("Take a plane"), [&](GroundSpec& spec) {
        int id = 1;
        while (spec.plane(id)) ++id;
        spec.planes.push_back({id, tr("Plane %1").arg(id).toStdString(), paths});
    });
}

void GroundEdits::removePlane(int id) {
    change(tr("Remove a plane"),
           [&](GroundSpec& spec) { std::erase_if(spec.planes, [&](const NamedPlane& p) { return p.id == id; }); });
}

void GroundEdits::planeOfPatch(int patch) {
    const FlatPatch* p = document_.shot().patch(patch);
    const std::vector<int> paths = p ? pathsOnPatch(document_.shot(), *p) : std::vector<int>();
    if (paths.size() < 3) {
        Q_EMIT document_.troubled(
            tr("Fewer than three solved features lie on the patch: track it, or track more features on it."));
        return;
    }
    namePlane(paths);
}

void GroundEdits::originAtCorner() {
    if (candidate()) takeCandidate(TakeAs::plane);
    const GroundSpec& now = document_.shot().groundSpec;
    if (now.planes.empty()) {
        Q_EMIT document_.troubled(tr("Show a candidate or keep a plane first: the origin goes to a corner of it."));
        return;
    }
    const int plane = now.planes.back().id;
    const bool again = now.origin.kind == WorldOrigin::Kind::corner && now.origin.plane == plane;
    setOrigin(tr("Origin at a plane's corner"),
              {WorldOrigin::Kind::corner, {}, 0, plane, again ? (now.origin.corner + 1) % 4 : 0});
}

void GroundEdits::faceAlongEdge(const Eigen::Vector2d& from, const Eigen::Vector2d& to, bool alongX) {
    const PictureLine line = lineAlongEdge(document_.shot(), {document_.frame(), from, to});
    setFacing(tr("Face along an edge"), {WorldFacing::Kind::edge, {}, line, 0, document_.frame(), alongX, 0});
}

void GroundEdits::addLength(const KnownLength& length) {
    change(tr("Add a known length"), [&](GroundSpec& spec) { spec.lengths.push_back(length); });
}

void GroundEdits::changeLength(size_t index, double metres) {
    if (index >= document_.shot().groundSpec.lengths.size()) return;
    if (!(metres > 0)) {
        Q_EMIT document_.troubled(tr("A length must be greater than 0."));
        return;
    }
    change(tr("Set length"), [&](GroundSpec& spec) {
        // A typed length is no typical size any more.
        spec.lengths[index].metres = metres;
        spec.lengths[index].sigma = 0;
    });
}

void GroundEdits::removeLength(size_t index) {
    if (index >= document_.shot().groundSpec.lengths.size()) return;
    change(tr("Remove a known length"),
           [&](GroundSpec& spec) { spec.lengths.erase(spec.lengths.begin() + std::ptrdiff_t(index)); });
}

void GroundEdits::setOrigin(const QString& name, const WorldOrigin& origin) {
    change(name, [&](GroundSpec& spec) { spec.origin = origin; });
}

void GroundEdits::setFacing(const QString& name, const WorldFacing& facing) {
    change(name, [&](GroundSpec& spec) { spec.facing = facing; });
}

void GroundEdits::quarterTurn() {
    change(tr("Quarter turn"), [](GroundSpec& spec) { spec.facing.quarterTurns = (spec.facing.quarterTurns + 1) % 4; });
}

void GroundEdits::moveByHand(const Eigen::Vector3d& by, double turn) {
    change(tr("Move the world"), [&](GroundSpec& spec) {
        Similarity step;
        step.rotation = Eigen::AngleAxisd(turn, Eigen::Vector3d::UnitY());
        step.translation = by;
        spec.byHand = step.after(spec.byHand);
    });
}

void GroundEdits::clearByHand() {
    change(tr("Forget what was done by hand"), [](GroundSpec& spec) { spec.byHand = {}; });
}

QString GroundEdits::transformText() const {
    return QString::fromStdString(textOfTransform(document_.shot().ground->worldFromSolve));
}

void GroundEdits::pasteTransform(const QString& content) {
    const Similarity wanted = transformFromText(content.toStdString());
    change(tr("Paste the world's transform"), [&](GroundSpec& spec) {
        // What is by hand comes after the rest: it makes up the difference.
        const Similarity rest = spec.byHand.inverse().after(document_.shot().ground->worldFromSolve);
        spec.byHand = wanted.after(rest.inverse());
    });
}

void GroundEdits::takeWorldFrom(const QString& file) {
    const std::vector<SharedPoint> shared = sharedPoints(document_.shot(), file.toStdString());
    change(tr("Take the world of another shot"), [&](GroundSpec& spec) { spec.shared = shared; });
}

}  // namespace va
