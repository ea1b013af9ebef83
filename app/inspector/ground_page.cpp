// SPDX-License-Identifier: GPL-3.0-or-later
#include "inspector/ground_page.h"

namespace va {

GroundPage::GroundPage(const PageContext& context) : Page(tr("Ground")), document_(context.document) {
    caption(tr("Level"));
    from_ = read(tr("From"));
    fit_ = read(tr("Fit"), QStringLiteral(" "));
    buttons({context.actions["level"], context.actions["autoLevel"]});
    caption(tr("Origin and facing"));
    origin_ = read(tr("Origin"));
    along_ = read(tr("Z axis along"));
    buttons({context.actions["origin"], context.actions["zAlong"]});
    caption(tr("Scale"));
    length_ = number(tr("Distance"), 3, tr("m"));
    length_->setObjectName("scaleLength");
    between_ = read(tr("Between"));
    unit_ = read(tr("1 scene unit"), tr("m"));
    buttons({context.actions["scale"]});
    caption(tr("Camera in this frame"));
    position_ = read(tr("Position"), QStringLiteral(" "));
    note_ = note();
    length_->setValue(1);
    connect(length_, &NumberField::edited, this, [this](double v) {
        GroundSpec spec = document_.shot().groundSpec;
        if (!spec.length || v <= 0) return;
        spec.length->metres = v;
        document_.setGround(tr("Set scale"), spec);
    });
}

void GroundPage::refresh() {
    const Shot& s = document_.shot();
    const GroundSpec& g = s.groundSpec;
    const GroundFit& f = *s.ground;
    const auto name = [&](int id) {
        const Path* p = s.path(id);
        return p && !p->name.empty() ? QString::fromStdString(p->name) : tr("point %1").arg(id);
    };
    from_->setText(f.level ? (g.levelPaths.empty() ? tr("%1 points, found") : tr("%1 points")).arg(f.usedPaths.size())
                           : QString("–"));
    fit_->setText(
        f.level && f.usedPaths.size() == 3 ? tr("exact, 3 points")
        : f.level ? (f.metric ? tr("%1 mm RMS").arg(f.rms * 1000, 0, 'f', 1) : tr("%1 units RMS").arg(f.rms, 0, 'g', 3))
                  : QString("–"));
    origin_->setText(g.originPath ? name(*g.originPath) : tr("middle of floor"));
    along_->setText(g.zAlong ? tr("%1 → %2").arg(g.zAlong->from).arg(g.zAlong->to) : tr("first camera"));
    if (g.length) length_->setValue(g.length->metres);
    between_->setText(g.length ? tr("points %1, %2").arg(g.length->from).arg(g.length->to) : QString("–"));
    unit_->setText(f.metric ? QString::number(f.worldFromSolve.scale, 'f', 5) : QString("–"));
    const auto pose = s.worldPose(document_.frame());
    position_->setText(pose ? tr("%1, %2, %3 %4")
                                  .arg(pose->position.x(), 0, 'f', 3)
                                  .arg(pose->position.y(), 0, 'f', 3)
                                  .arg(pose->position.z(), 0, 'f', 3)
                                  .arg(QLatin1String(s.unit()))
                            : QString("–"));
    note_->setText(!f.trouble.empty() ? QString::fromStdString(f.trouble)
                                      : tr("Select points in a view or in the table: three or more for the level, "
                                           "one for the origin, two for the Z axis or a length."));
}

}  // namespace va
