// SPDX-License-Identifier: GPL-3.0-or-later
#include "document/job.h"

#include <memory>

namespace va {

Job::Job(QObject* parent) : QObject(parent) { connect(&background_, &Background::progressed, this, &Job::changed); }

void Job::start(const QString& name, Parts parts, const Shot& snapshot, Work work) {
    startStaged(name, parts, snapshot,
                [work = std::move(work)](const Shot& before, Progress& progress, Shot& soFar, const Reached&) {
                    return work(before, progress, soFar);
                });
}

void Job::startStaged(const QString& name, Parts parts, const Shot& snapshot, StagedWork work) {
    if (running()) return;
    name_ = name;
    const auto result = std::make_shared<JobResult>(JobResult{parts, snapshot, snapshot});
    const Reached tell = [this, parts, snapshot](const Shot& stage) {
        QMetaObject::invokeMethod(
            this,
            [this, stage = JobResult{parts, snapshot, stage}] {
                if (running()) Q_EMIT reached(stage);
            },
            Qt::QueuedConnection);
    };
    background_.start([result, tell, work = std::move(work)](
                          Progress& progress) { result->made = work(result->before, progress, result->made, tell); },
                      [this, result](Background::End end, const QString& sentence) {
                          switch (end) {
                              case Background::End::done: Q_EMIT finished(*result); break;
                              case Background::End::cancelled: Q_EMIT cancelledWith(*result); break;
                              case Background::End::failed: Q_EMIT failed(sentence, *result); break;
                          }
                          Q_EMIT changed();
                      });
    Q_EMIT changed();
}

}  // namespace va
