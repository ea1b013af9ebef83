// SPDX-License-Identifier: GPL-3.0-or-later
#include "document/live_solve.h"

#include <memory>

#include "workflow/match_shot.h"
#include "workflow/stale.h"
#include "workflow/verdict.h"

namespace va {

LiveSolve::LiveSolve(Document& document) : document_(document) {
    connect(&document_, &Document::shotChanged, this, &LiveSolve::refresh);
    connect(&document_.job(), &Job::changed, this, &LiveSolve::refresh);
    quiet_.setSingleShot(true);
    connect(&quiet_, &QTimer::timeout, this, &LiveSolve::start);
}

void LiveSolve::setOn(bool on) {
    if (on == on_) return;
    on_ = on;
    if (!on) background_.cancel();
    refresh();
    Q_EMIT changed();
}

bool LiveSolve::wanted() const {
    const Shot& s = document_.shot();
    if (!on_ || document_.job().running() || !s.solve->hasLens()) return false;
    const Staleness stale = stalenessOf(s);
    return stale.solve && !stale.features && fingerprintOfSolveInput(s) != failedFor_;
}

void LiveSolve::refresh() {
    if (!wanted()) {
        quiet_.stop();
        return;
    }
    // What runs is for an older edit.
    background_.cancel();
    quiet_.start(120);
}

void LiveSolve::start() {
    if (background_.running()) return quiet_.start(30);
    if (!wanted()) return;
    const auto asked = std::make_shared<const Shot>(document_.shot());
    const auto made = std::make_shared<Shot>();
    background_.start([asked, made](Progress& progress) { *made = withSolveUpdated(*asked, progress); },
                      [this, asked, made](Background::End end, const QString& sentence) {
                          if (end == Background::End::done) {
                              if (made->solve->has() && made->solve->motion == document_.shot().solve->motion)
                                  document_.amendSolve(*made);
                              else worseThanNothing(*asked, *made);
                          } else if (end == Background::End::failed) {
                              failedFor_ = fingerprintOfSolveInput(*asked);
                              Q_EMIT document_.troubled(tr("The solve could not be updated: %1").arg(sentence));
                          }
                          // Cancelled it was by a newer edit, which starts the next one.
                          refresh();
                          Q_EMIT changed();
                      });
    Q_EMIT changed();
}

void LiveSolve::worseThanNothing(const Shot& asked, const Shot& made) {
    failedFor_ = fingerprintOfSolveInput(asked);
    Q_EMIT document_.message(
        tr("After this edit there is no solve like the one before (%1). The old one stays until you solve.")
            .arg(QString::fromStdString(verdictOn(made, Step::solve).sentence)));
}

}  // namespace va
