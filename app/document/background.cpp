// SPDX-License-Identifier: GPL-3.0-or-later
#include "document/background.h"

#include <QMetaObject>
#include <exception>

#include "base/error.h"

namespace va {

Background::Background(QObject* parent) : QObject(parent) {}

Background::~Background() {
    cancel();
    join();
}

void Background::join() {
    if (thread_.joinable()) thread_.join();
}

void Background::cancel() {
    if (progress_) progress_->cancel();
}

void Background::start(std::function<void(Progress&)> work, std::function<void(End, const QString&)> ended) {
    if (running_) return;
    // The last piece has told its end: its thread has nothing left to do.
    join();
    state_ = {};
    running_ = true;
    progress_ = std::make_shared<Progress>([this](const Progress::State& s) {
        QMetaObject::invokeMethod(
            this,
            [this, s] {
                state_ = s;
                Q_EMIT progressed();
            },
            Qt::QueuedConnection);
    });
    thread_ = std::thread([this, work = std::move(work), ended = std::move(ended), progress = progress_] {
        End end = End::done;
        QString sentence;
        try {
            work(*progress);
        } catch (const Cancelled&) {
            end = End::cancelled;
        } catch (const std::exception& e) {
            end = End::failed;
            sentence = QString::fromUtf8(e.what());
        }
        // Qt drops the call where this object has gone by then.
        QMetaObject::invokeMethod(
            this,
            [this, ended, end, sentence] {
                running_ = false;
                ended(end, sentence);
            },
            Qt::QueuedConnection);
    });
}

}  // namespace va
