// SPDX-License-Identifier: GPL-3.0-or-later
#include "document/job.h"

#include <QMetaObject>

#include "base/error.h"

namespace va {

Job::Job(QObject* parent) : QObject(parent) {}

Job::~Job() {
    if (progress_) progress_->cancel();
    join();
}

void Job::join() {
    if (thread_.joinable()) thread_.join();
}

void Job::cancel() {
    if (progress_) progress_->cancel();
}

void Job::start(const QString& name, const Shot& snapshot, Work work) {
    if (running_) return;
    join();
    name_ = name;
    state_ = {};
    running_ = true;
    progress_ = std::make_shared<Progress>([this](const Progress::State& s) {
        QMetaObject::invokeMethod(
            this,
            [this, s] {
                state_ = s;
                Q_EMIT changed();
            },
            Qt::QueuedConnection);
    });
    Q_EMIT changed();
    thread_ = std::thread([this, snapshot, work = std::move(work), progress = progress_] {
        const auto handOver = [this](auto tell) {
            QMetaObject::invokeMethod(
                this,
                [this, tell] {
                    running_ = false;
                    tell();
                    Q_EMIT changed();
                },
                Qt::QueuedConnection);
        };
        Shot soFar = snapshot;
        try {
            const Shot result = work(snapshot, *progress, soFar);
            handOver([this, result] { Q_EMIT finished(result); });
        } catch (const Cancelled&) {
            handOver([this, soFar] { Q_EMIT cancelledWith(soFar); });
        } catch (const std::exception& e) {
            const QString sentence = QString::fromUtf8(e.what());
            handOver([this, sentence, soFar] { Q_EMIT failed(sentence, soFar); });
        }
    });
}

}  // namespace va
