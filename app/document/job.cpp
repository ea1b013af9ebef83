// SPDX-License-Identifier: GPL-3.0-or-later
#include "document/job.h"

#include <memory>

namespace va {

Job::Job(QObject* parent) : QObject(parent) { connect(&background_, &Background::progressed, this, &Job::changed); }

void Job::start(const QString& name, Parts parts, const Shot& snapshot, Work work) {
    if (running()) return;
    name_ = name;
    const auto result = std::make_shared<JobResult>(JobResult{parts, snapshot, snapshot});
    background_.start([result, work = std::move(work)](
                          Progress& progress) { result->made = work(result->before, progress, result->made); },
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
