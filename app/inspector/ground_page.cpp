// SPDX-License-Identifier: GPL-3.0-or-later
#include "inspector/ground_page.h"

#include <QMenu>
#include <algorithm>
#include <cmath>

#include "inspector/compact_table.h"

namespace va {
namespace {

constexpr int mostRows = 3;

QString kindWords(LevelKind kind, int count) {
    switch (kind) {
        case LevelKind::floor: return GroundPage::tr("Floor, %1 points").arg(count);
        case LevelKind::wall: return GroundPage::tr("Wall, %1 points").arg(count);
        case LevelKind::upright: return GroundPage::tr("Upright edge");
        case LevelKind::horizon: return GroundPage::tr("Horizon");
        case LevelKind::cameraRoll: break;
    }
    return GroundPage::tr("Camera held level");
}

QString surfaceWords(SurfaceKind kind) {
    switch (kind) {
        case SurfaceKind::floor: return GroundPage::tr("Floor");
        case SurfaceKind::top: return GroundPage::tr("Top");
        case SurfaceKind::wall: return GroundPage::tr("Wall");
        case SurfaceKind::slope: break;
    }
    return GroundPage::tr("Slope");
}

}  // namespace

GroundPage::GroundPage(const PageContext& context)
    : Page(tr("Ground")), document_(context.document), edits_(context.ground) {
    buildLevel(context.actions);
    buildCandidates(context.actions);
    buildScale(context.actions);
    buildWorld(context.actions);
    note_ = note();
    connect(&edits_, &GroundEdits::candidateChanged, this, &GroundPage::refresh);
}

void GroundPage::buildLevel(const QMap<QString, QAction*>& actions) {
    caption(tr("Level"));
    sure_ = read(tr("Upright known to"), QStringLiteral(" "));
    evidence_ = compactTable("levelEvidence", tr("Evidence of the level"), {tr("From"), tr("Off by")});
    evidence_->setToolTip(tr("What the level comes from, and how far each piece is off. Delete removes one."));
    insert(evidence_);
    buttons({actions["autoLevel"], actions["level"], actions["levelWall"]});
    buttons({actions["uprightTool"], actions["horizonTool"], actions["removeEvidence"]});
    connect(actions["removeEvidence"], &QAction::triggered, this, [this] {
        const int row = evidence_->currentRow();
        if (row >= 0 && !document_.shot().groundSpec.level.empty()) edits_.removeEvidence(size_t(row));
    });
}

void GroundPage::buildCandidates(const QMap<QString, QAction*>& actions) {
    caption(tr("Candidates"));
    candidates_ = compactTable("candidates", tr("Planes found in the cloud"), {tr("Plane"), tr("Points"), tr("Tilt")});
    candidates_->setToolTip(
        tr("Planes that the program found in the cloud, best first. Tab steps through them in the "
           "plate view, Return takes the one that is shown as the ground."));
    insert(candidates_);
    buttons({actions["takeGround"], actions["takeWall"], actions["takePlane"]});
    planeNote_ = note();
    planeNote_->setObjectName("planeNote");
    planes_ = compactTable("planes", tr("Named planes"), {tr("Kept"), tr("Points"), tr("Tilt")});
    planes_->setToolTip(
        tr("Planes that were kept: things can be placed on them. Each with its points and tilt against "
           "the ground."));
    insert(planes_);
    removePlane_ = new QWidget;
    auto* removeRow = new QHBoxLayout(removePlane_);
    removeRow->setContentsMargins(0, 0, 0, 0);
    auto* remove = new QPushButton(actions["removePlane"]->iconText());
    remove->setToolTip(actions["removePlane"]->toolTip());
    connect(remove, &QPushButton::clicked, actions["removePlane"], &QAction::trigger);
    removeRow->addWidget(remove);
    removeRow->addStretch();
    insert(removePlane_);
    connect(actions["removePlane"], &QAction::triggered, this, [this] {
        const auto& planes = document_.shot().groundSpec.planes;
        if (planes.empty()) return;
        const int row = planes_->currentRow();
        edits_.removePlane(planes[row >= 0 ? size_t(row) : planes.size() - 1].id);
    });
    connect(planes_, &QTableWidget::currentCellChanged, this, [this](int, int, int, int) {
        if (!refreshing_) refreshPlaneNote();
    });
    connect(candidates_, &QTableWidget::currentCellChanged, this, [this](int row, int, int, int) {
        if (!refreshing_ && row >= 0) edits_.showCandidate(row);
    });
}

void GroundPage::buildScale(const QMap<QString, QAction*>& actions) {
    caption(tr("Scale"));
    unit_ = read(tr("1 unit"), QStringLiteral(" "));
    lengths_ = compactTable("knownLengths", tr("Known lengths"), {tr("Length"), tr("m"), tr("Off by")});
    lengths_->setToolTip(tr("Known lengths that together give the scale, and how far each is off."));
    insert(lengths_);
    length_ = number(tr("Length"), 3, tr("m"));
    length_->setObjectName("scaleLength");
    length_->setToolTip(tr("Of the chosen row. Sums and units are taken, such as 36/1.6."));
    length_->setValue(1);
    buttons({actions["scale"], actions["lengthHeight"], actions["lengthSpacing"]});
    buttons({actions["lengthOverGround"], actions["lengthCamera"]});
    buttons({actions["typicalSize"], actions["removeLength"]});
    connect(lengths_, &QTableWidget::currentCellChanged, this, [this](int, int, int, int) {
        if (!refreshing_) refreshScale();
    });
    connect(length_, &NumberField::edited, this, [this](double v) {
        if (lengths_->currentRow() >= 0) edits_.changeLength(size_t(lengths_->currentRow()), v);
    });
    connect(actions["removeLength"], &QAction::triggered, this, [this] {
        if (lengths_->currentRow() >= 0) edits_.removeLength(size_t(lengths_->currentRow()));
    });
}

void GroundPage::buildWorld(const QMap<QString, QAction*>& actions) {
    caption(tr("Origin and axes"), Fold::closed);
    origin_ = read(tr("Origin"));
    along_ = read(tr("Faces"));
    buttons({actions["origin"], actions["originCamera"], actions["originCorner"]});
    buttons({actions["zAlong"], actions["xAlong"], actions["quarterTurn"]});
    buttons({actions["faceWall"], actions["faceCamera"], actions["groundEdgeTool"]});
    caption(tr("By hand"), Fold::closed);
    const auto field = [this](const QString& name, const QString& unit, const char* object, auto step) {
        NumberField* f = number(name, 3, unit);
        f->setObjectName(object);
        connect(f, &NumberField::edited, this, [this, step](double v) { step(v); });
        return f;
    };
    const auto camera = [this] { return document_.shot().worldPose(document_.frame()); };
    const auto move = [this, camera](int axis) {
        return [this, camera, axis](double v) {
            const auto pose = camera();
            if (!pose) return;
            Eigen::Vector3d by = Eigen::Vector3d::Zero();
            by[axis] = v - pose->position[axis];
            edits_.moveByHand(by, 0);
        };
    };
    moveX_ = field(tr("Camera X"), tr("unit"), "worldX", move(0));
    moveY_ = field(tr("Camera Y"), tr("unit"), "worldY", move(1));
    moveZ_ = field(tr("Camera Z"), tr("unit"), "worldZ", move(2));
    turn_ = field(tr("Turn by"), tr("°"), "worldTurn",
                  [this](double v) { edits_.moveByHand(Eigen::Vector3d::Zero(), v * M_PI / 180); });
    turn_->setToolTip(tr("Turns the world about its upright axis by this angle."));
    buttons({actions["copyWorld"], actions["pasteWorld"], actions["clearByHand"]});
    buttons({actions["worldOfShot"]});
}

QString GroundPage::nameOf(int id) const {
    const Path* p = document_.shot().path(id);
    return p && !p->name.empty() ? QString::fromStdString(p->name) : tr("point %1").arg(id);
}

QString GroundPage::lengthWords(const KnownLength& k) const {
    if (!k.name.empty()) return QString::fromStdString(k.name);
    switch (k.kind) {
        case LengthKind::distance:
            if (k.paths.size() == 2) return QStringLiteral("%1 – %2").arg(k.paths[0]).arg(k.paths[1]);
            break;
        case LengthKind::uprightHeight:
            if (k.paths.size() == 2) return tr("Height %1 ↑ %2").arg(k.paths[0]).arg(k.paths[1]);
            break;
        case LengthKind::heightOverGround:
            if (!k.paths.empty()) return tr("%1 over ground").arg(k.paths[0]);
            break;
        case LengthKind::cameraHeight: return tr("Camera, %1").arg(k.frame);
        case LengthKind::spacing: return tr("Step of %1 points").arg(k.paths.size());
    }
    return tr("Length");
}

void GroundPage::refresh() {
    if (refreshing_) return;
    refreshing_ = true;
    refreshLevel();
    refreshCandidates();
    refreshScale();
    refreshWorld();
    const GroundFit& f = *document_.shot().ground;
    note_->setText(!f.trouble.empty() ? QString::fromStdString(f.trouble)
                   : document_.shot().hasWorld()
                       ? QString()
                       : tr("Solve the shot, or match a picture: the ground is made from that."));
    note_->setVisible(!note_->text().isEmpty());
    refreshing_ = false;
}

void GroundPage::refreshLevel() {
    const Shot& s = document_.shot();
    const GroundFit& f = *s.ground;
    sure_->setText(f.level && f.levelSigmaDeg >= 0 ? tr("± %1°").arg(std::max(0.005, f.levelSigmaDeg), 0, 'f', 2)
                                                   : QString("–"));
    sure_->setToolTip(!f.floor                  ? QString()
                      : f.usedPaths.size() == 3 ? tr("The floor goes through 3 points.")
                                                : tr("The floor goes through %1 points, %2 px RMS.")
                                                      .arg(f.usedPaths.size())
                                                      .arg(f.floor->rmsPx, 0, 'f', 2));
    // Of many edges found one line stands for all.
    struct Line {
        QString words, off;
        bool used;
    };
    std::vector<Line> lines;
    int edges = 0, edgesUsed = 0;
    double edgeSquares = 0;
    const bool chosen = !s.groundSpec.level.empty();
    for (const LevelReport& r : f.evidence) {
        if (!chosen && r.kind == LevelKind::upright) {
            ++edges;
            if (r.used) ++edgesUsed, edgeSquares += r.misfitDeg * r.misfitDeg;
            continue;
        }
        lines.push_back(
            {kindWords(r.kind, r.count),
             r.used ? tr("%1°").arg(r.misfitDeg, 0, 'f', 2) : tr("%1°, left out").arg(r.misfitDeg, 0, 'f', 1), r.used});
    }
    if (edges > 0)
        lines.push_back({tr("%1 of %2 upright edges").arg(edgesUsed).arg(edges),
                         edgesUsed > 0 ? tr("%1°").arg(std::sqrt(edgeSquares / edgesUsed), 0, 'f', 2) : QString("–"),
                         edgesUsed > 0});
    evidence_->setRowCount(int(lines.size()));
    for (int i = 0; i < evidence_->rowCount(); ++i) {
        setCell(evidence_, i, 0, lines[size_t(i)].words);
        setCell(evidence_, i, 1, lines[size_t(i)].off, true);
    }
    fitRows(evidence_, mostRows);
}

void GroundPage::refreshCandidates() {
    const Shot& s = document_.shot();
    const int count = edits_.candidateCount();
    const Eigen::Vector3d up = s.ground->worldFromSolve.rotation.conjugate() * Eigen::Vector3d::UnitY();
    candidates_->setRowCount(count);
    for (int i = 0; i < count; ++i) {
        const Candidate& c = s.groundBasis->candidates[size_t(i)];
        const double lean = std::acos(std::clamp(c.surface.plane.normal.dot(up), -1.0, 1.0)) * 180 / M_PI;
        setCell(candidates_, i, 0, surfaceWords(c.kind));
        setCell(candidates_, i, 1, QString::number(c.surface.paths.size()), true);
        setCell(candidates_, i, 2, tr("%1°").arg(lean, 0, 'f', 1), true);
    }
    fitRows(candidates_, mostRows);
    if (edits_.candidateIndex() >= 0) candidates_->setCurrentCell(edits_.candidateIndex(), 0);
    else candidates_->setCurrentCell(-1, -1);
    const int was = planes_->currentRow();
    planes_->setRowCount(int(s.ground->planes.size()));
    for (int i = 0; i < planes_->rowCount(); ++i) {
        const TakenPlane& p = s.ground->planes[size_t(i)];
        const NamedPlane* named = s.groundSpec.plane(p.id);
        const double lean = std::acos(std::clamp(p.surface.plane.normal.dot(up), -1.0, 1.0)) * 180 / M_PI;
        setCell(planes_, i, 0, named ? QString::fromStdString(named->name) : QString());
        setCell(planes_, i, 1, QString::number(p.surface.paths.size()), true);
        setCell(planes_, i, 2, tr("%1°").arg(lean, 0, 'f', 1), true);
    }
    fitRows(planes_, mostRows);
    planes_->setCurrentCell(std::min(was, planes_->rowCount() - 1), 0);
    removePlane_->setVisible(planes_->rowCount() > 0);
    refreshPlaneNote();
}

/// What is known of the plane that is shown, or of the kept one that is chosen.
void GroundPage::refreshPlaneNote() {
    const Shot& s = document_.shot();
    const Surface* surface = nullptr;
    const int row = planes_->currentRow();
    if (const Candidate* c = edits_.candidate()) surface = &c->surface;
    else if (row >= 0 && size_t(row) < s.ground->planes.size()) surface = &s.ground->planes[size_t(row)].surface;
    planeNote_->setVisible(surface != nullptr);
    if (!surface) return;
    const double scale = s.ground->worldFromSolve.scale;
    const QString unit = QString::fromLatin1(s.unit());
    const QString outliers = surface->outliers.empty() ? QString() : tr(", %1 off it").arg(surface->outliers.size());
    planeNote_->setText(tr("%1 points%2 · RMS %3 px, %4 %5 · %6 × %7 %5 · tilt ± %8°, offset ± %9 %5")
                            .arg(surface->paths.size())
                            .arg(outliers)
                            .arg(surface->rmsPx, 0, 'f', 2)
                            .arg(surface->plane.rms * scale, 0, 'g', 2)
                            .arg(unit)
                            .arg(2 * surface->halfU * scale, 0, 'g', 3)
                            .arg(2 * surface->halfV * scale, 0, 'g', 3)
                            .arg(surface->tiltSigma() * 180 / M_PI, 0, 'g', 2)
                            .arg(surface->offsetSigma() * scale, 0, 'g', 2));
}

void GroundPage::refreshScale() {
    const Shot& s = document_.shot();
    const GroundFit& f = *s.ground;
    const auto& lengths = s.groundSpec.lengths;
    unit_->setText(!f.metric
                       ? QString("–")
                       : tr("%1 m%2")
                             .arg(f.worldFromSolve.scale, 0, 'f', 4)
                             .arg(f.scaleSigma >= 0 ? tr(" ± %1 %").arg(100 * f.scaleSigma, 0, 'g', 2) : QString()));
    const bool was = refreshing_, grown = int(lengths.size()) > lengths_->rowCount();
    refreshing_ = true;
    lengths_->setRowCount(int(lengths.size()));
    for (int i = 0; i < lengths_->rowCount(); ++i) {
        const KnownLength& k = lengths[size_t(i)];
        setCell(lengths_, i, 0, lengthWords(k));
        setCell(lengths_, i, 1, QString::number(k.metres, 'g', 5), true);
        const ScaleReport* r = size_t(i) < f.lengths.size() ? &f.lengths[size_t(i)] : nullptr;
        auto* off = setCell(lengths_, i, 2,
                            !r               ? QString("–")
                            : r->metres <= 0 ? tr("not used")
                            : r->used        ? tr("%1 %").arg(r->misfitPercent, 0, 'f', 1)
                                             : tr("%1 %, left out").arg(r->misfitPercent, 0, 'f', 0),
                            true);
        off->setToolTip(r ? QString::fromStdString(r->why) : QString());
    }
    // A new one is what the field is wanted for.
    if (grown || (lengths_->currentRow() < 0 && !lengths.empty()))
        lengths_->setCurrentCell(lengths_->rowCount() - 1, 0);
    fitRows(lengths_, mostRows);
    refreshing_ = was;
    const int row = lengths_->currentRow();
    length_->setEnabled(row >= 0);
    if (row >= 0 && size_t(row) < lengths.size()) length_->setValue(lengths[size_t(row)].metres);
}

void GroundPage::refreshWorld() {
    const Shot& s = document_.shot();
    const GroundSpec& g = s.groundSpec;
    switch (g.origin.kind) {
        case WorldOrigin::Kind::automatic: origin_->setText(tr("middle of the floor")); break;
        case WorldOrigin::Kind::point:
            origin_->setText(g.origin.paths.empty() ? QString("–") : nameOf(g.origin.paths.front()));
            break;
        case WorldOrigin::Kind::middle: origin_->setText(tr("middle of %1 points").arg(g.origin.paths.size())); break;
        case WorldOrigin::Kind::underCamera: origin_->setText(tr("under camera %1").arg(g.origin.frame)); break;
        case WorldOrigin::Kind::corner: origin_->setText(tr("corner %1 of a plane").arg(g.origin.corner + 1)); break;
    }
    const QString axis = g.facing.alongX ? tr("X") : tr("Z");
    switch (g.facing.kind) {
        case WorldFacing::Kind::automatic: along_->setText(tr("first camera")); break;
        case WorldFacing::Kind::points:
            along_->setText(g.facing.paths.size() == 2
                                ? tr("%1: %2 → %3").arg(axis).arg(g.facing.paths[0]).arg(g.facing.paths[1])
                                : QString("–"));
            break;
        case WorldFacing::Kind::edge: along_->setText(tr("%1 along an edge").arg(axis)); break;
        case WorldFacing::Kind::wall: along_->setText(tr("%1 off a wall").arg(axis)); break;
        case WorldFacing::Kind::camera: along_->setText(tr("camera %1").arg(g.facing.frame)); break;
    }
    const auto pose = s.worldPose(document_.frame());
    NumberField* const fields[] = {moveX_, moveY_, moveZ_};
    for (int k = 0; k < 3; ++k) {
        fields[k]->setEnabled(pose.has_value());
        if (pose) fields[k]->setValue(pose->position[k]);
    }
    turn_->setValue(0);
}

}  // namespace va
