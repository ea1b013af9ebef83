// SPDX-License-Identifier: GPL-3.0-or-later
#include "document/live_solve.h"

#include <QCoreApplication>
#include <QThreadPool>
#include <exception>

#include "base/error.h"
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

LiveSolve::~LiveSolve() {
    *alive_ = false;
    if (progress_) progress_->cancel();
}

void LiveSolve::setOn(bool on) {
    if (on == on_) return;
    on_ = on;
    if (!on && progress_) progress_->cancel();
    refresh();
    Q_EMIT changed();
}

bool LiveSolve::wanted() const {
    const Shot& s = document_.shot();
    if (!on_ || document_.job().running() || !s.solve->has() || s.solve->motion == Motion::lockedOff) return false;
    const Staleness stale = stalenessOf(s);
    return stale.solve && !stale.features && fingerprintOfSolveInput(s) != failedFor_;
}

void LiveSolve::refresh() {
    if (!wanted()) {
        quiet_.stop();
        return;
    }
    // What runs is for an older edit.
    if (progress_) progress_->cancel();
    quiet_.start(120);
}

void LiveSolve::start() {
    if (running_) return quiet_.start(30);
    if (!wanted()) return;
    running_ = true;
    progress_ = std::make_shared<Progress>();
    Q_EMIT changed();
    QThreadPool::globalInstance()->start([this, alive = alive_, progress = progress_, snapshot = document_.shot()] {
        std::shared_ptr<Shot> made;
        QString trouble;
        try {
            made = std::make_shared<Shot>(withSolveUpdated(snapshot, *progress));
        } catch (const Cancelled&) {
            // By a newer edit, which starts the next one.
        } catch (const std::exception& e) {
            trouble = QString::fromUtf8(e.what());
        }
        QTimer::singleShot(0, qApp, [this, alive, made, trouble, asked = fingerprintOfSolveInput(snapshot)] {
            if (!*alive) return;
            running_ = false;
            progress_.reset();
            if (made && made->solve->has() && made->solve->motion == document_.shot().solve->motion) {
                document_.amendSolve(*made);
            } else if (made) {
                failedFor_ = asked;
                Q_EMIT document_.message(tr("After this edit there is no solve like the one before (%1). The old one "
                                            "stays until you solve.")
                                             .arg(QString::fromStdString(verdictOn(*made, Step::solve).sentence)));
            }
            if (!trouble.isEmpty()) {
                failedFor_ = asked;
                Q_EMIT document_.troubled(tr("The solve could not be updated: %1").arg(trouble));
            }
            refresh();
            Q_EMIT changed();
        });
    });
}

}  // namespace va
