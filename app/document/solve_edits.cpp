// SPDX-License-Identifier: GPL-3.0-or-later
#include "document/solve_edits.h"

#include "base/error.h"
#include "workflow/mover_features.h"
#include "workflow/mover_work.h"

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
    document_.startJob(tr("Solve the mover"), [](const Shot& s, Progress& p, Shot&) {
        return withMoverFeatures(withMoversSolved(s, p), p);
    });
}

void SolveEdits::lookForMovers() {
    document_.startJob(tr("Look for movers"),
                       [](const Shot& s, Progress& p, Shot&) {
        return withMoverFeatures(withMoversProposed(s, p), p);
    });
}

void SolveEdits::changeMover(const QString& name, int id, const std::function<void(Mover&)>& change) {
    Shot next = document_.shot();
    for (Mover& m : next.movers)
        if (m.id == id) change(m);
    document_.edit(name, next);
}

void SolveEdits::removeMover(int id) {
    Shot next = document_.shot();
    std::erase_if(next.movers, [id](const Mover& m) { return m.id == id; });
    document_.edit(tr("Remove mover"), next);
}

}  // namespace va
