// SPDX-License-Identifier: GPL-3.0-or-later
#include "document/still_edits.h"

#include <algorithm>

#include "base/by_id.h"
#include "base/error.h"
#include "workflow/match_shot.h"
#include "workflow/still_work.h"

namespace va {

void StillEdits::show(int id) {
    shown_ = id;
    Q_EMIT changed();
}

void StillEdits::addFiles(const QStringList& files) {
    Shot next = document_.shot();
    const size_t had = next.stills.size();
    for (const QString& file : files) {
        try {
            next = withStill(next, file.toStdString());
        } catch (const InputError& e) {
            Q_EMIT document_.troubled(QString::fromUtf8(e.what()));
        }
    }
    if (next.stills.size() == had) return;
    const int first = next.stills[had].id;
    document_.edit(tr("Add reference stills"), next);
    show(first);
}

void StillEdits::remove(int id) {
    if (!document_.shot().still(id)) return;
    Shot next = document_.shot();
    std::erase_if(next.stills, [id](const ReferenceStill& s) { return s.id == id; });
    document_.edit(tr("Remove a reference still"), next);
    show(0);
}

void StillEdits::change(const QString& name, int id, const std::function<void(ReferenceStill&)>& how) {
    Shot next = document_.shot();
    ReferenceStill* still = findById(next.stills, id);
    if (!still) return;
    how(*still);
    document_.edit(name, next);
    Q_EMIT changed();
}

void StillEdits::setOn(int id, bool on) {
    change(on ? tr("Use a reference still") : tr("Leave a reference still out"), id,
           [on](ReferenceStill& s) { s.on = on; });
}

void StillEdits::setFocal(int id, double px) {
    change(tr("Set a still's focal length"), id,
           [px](ReferenceStill& s) { s.focalPx = px > 0 ? std::optional(px) : std::nullopt; });
}

void StillEdits::mark(int id, const Eigen::Vector2d& pixel, double sigma) {
    if (document_.selectedPaths().size() != 1)
        return Q_EMIT document_.troubled(tr("Select the feature first that you want to mark in the still."));
    moveMark(id, *document_.selectedPaths().begin(), pixel, sigma);
}

void StillEdits::moveMark(int id, int path, const Eigen::Vector2d& pixel, double sigma) {
    change(tr("Mark a feature in a still"), id, [&](ReferenceStill& s) {
        std::erase_if(s.marks, [path](const StillMark& m) { return m.path == path; });
        s.marks.push_back({path, pixel, sigma, true});
    });
}

void StillEdits::removeMark(int id, int path) {
    change(tr("Remove a mark in a still"), id,
           [&](ReferenceStill& s) { std::erase_if(s.marks, [path](const StillMark& m) { return m.path == path; }); });
}

void StillEdits::findMatches() {
    if (document_.shot().stills.empty())
        return Q_EMIT document_.troubled(tr("There are no reference stills yet. Add photos of the place first."));
    document_.startJob(tr("Find the stills' marks"), Parts(Part::paths) | Part::stills | Part::solve | Part::movers,
                       [](const Shot& s, Progress& progress, Shot&) { return withStillsFound(s, progress); });
}

}  // namespace va
