// SPDX-License-Identifier: GPL-3.0-or-later
// The actions of the step Proof.
#include "main_window/main_window.h"
#include "workflow/layout_work.h"

namespace va {

void MainWindow::makeProofActions() {
    add("flipProof", tr("Flip between proof and plate"), tr("Flip"), QKeySequence(Qt::ALT | Qt::Key_P), {}, [this] {
        proofLive_.setLook(proofLive_.look() == ProofLive::Look::plate ? ProofLive::Look::proof
                                                                       : ProofLive::Look::plate);
    });
    add("removePosts", tr("Forget the marked posts"), tr("Forget"), {}, {}, [this] { proofEdits_.removePosts(); });
    add("removeShadow", tr("Forget the measured shadow: sun and sky tell its depth"), tr("Forget"), {}, {},
        [this] { proofEdits_.change(tr("Forget measured shadow"), [](ProofSpec& p) { p.shadow.reset(); }); });
    add("sunFromPlace", tr("Turn the sun to where it stood at that place and time"), tr("Sun from these"), {}, {},
        [this] { proofEdits_.sunFromPlace(); });
    add("northFromSun", tr("Find the world's north from the sun as it stands"), tr("North from sun"), {}, {},
        [this] { proofEdits_.northFromSun(); });
    add("skyToSun", tr("Turn the sky picture until its brightest spot stands where the sun does"), tr("Turn to sun"),
        {}, {}, [this] { proofEdits_.skyToSun(); });
    add("aimLight", tr("Aim the selected lamp at a thing"), tr("Aim light"), {}, {},
        [this] { proofEdits_.aimLight(); });
    const auto reference = [this](const QString& name, double roughness, double metalness, double grey) {
        // On the ground in the middle of the picture, or where the ground is seen below it.
        const Shot& shot = document_.shot();
        const auto camera = shot.hasWorld() ? shot.cameraAt(document_.frame()) : std::nullopt;
        std::optional<LayoutPlace> place;
        for (const double y : {0.75, 0.85, 0.95}) {
            const auto ray = camera ? camera->ray({shot.plate.width * 0.5, shot.plate.height * y}) : std::nullopt;
            if (place || !ray || ray->direction.y() > -0.02) continue;
            const double far = -ray->origin.y() / ray->direction.y();
            if (far > 0) place = LayoutPlace{{Hang::On::ground, 0, {}}, ray->at(far), Eigen::Vector3d::UnitY()};
        }
        if (!place) return showTrouble(tr("The ground is not seen in this frame. Go to one that shows it."));
        Thing ball = newThing(shot, Ball(), *place, document_.frame());
        ball.name = name.toStdString();
        ball.colour = {grey, grey, grey, 1};
        int id = 0;
        Shot next = withThing(shot, ball, &id);
        ProofRole& role = next.proof.roleOf(id);
        role.roughness = roughness, role.metalness = metalness;
        document_.edit(tr("Place %1").arg(name), next);
        document_.selectThing(id);
    };
    // Linear 0.18 is 0.46 as displayed.
    add("chromeBall", tr("Place a chrome ball: it shows where light comes from"), tr("Chrome ball"), {}, {},
        [reference] { reference(tr("chrome ball"), 0.03, 1, 0.95); });
    add("greyBall", tr("Place a grey ball: it shows how bright light is"), tr("Grey ball"), {}, {},
        [reference] { reference(tr("grey ball"), 1, 0, 0.461); });
}

}  // namespace va
