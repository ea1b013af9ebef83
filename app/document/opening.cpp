// SPDX-License-Identifier: GPL-3.0-or-later
#include "document/opening.h"

#include <QEventLoop>
#include <QFileInfo>
#include <QMetaObject>
#include <QPointer>
#include <exception>
#include <thread>

#include "base/error.h"
#include "media/first_picture.h"

namespace va {
namespace {

/// Below this size a movie is open before its first picture could be shown.
constexpr qint64 largeFile = qint64(48) << 20;

struct Result {
    std::unique_ptr<PlateSource> source;
    std::exception_ptr failure;
};

QImage imageOf(const DisplayPicture& p) {
    return QImage(reinterpret_cast<const uchar*>(p.data.data()), p.width, p.height, p.width * 4, QImage::Format_RGB32)
        .copy();
}

}  // namespace

Opening::Opening(QObject* parent) : QObject(parent) {}

void Opening::cancel() {
    if (progress_) progress_->cancel();
}

std::unique_ptr<PlateSource> Opening::open(const std::string& spec, const PlateOverrides& overrides) {
    if (running()) throw InputError("Another plate is still being opened. Wait, or cancel that with Escape.");
    auto result = std::make_shared<Result>();
    state_ = {};
    const QPointer<Opening> self(this);
    const auto progress = std::make_shared<Progress>([self](const Progress::State& s) {
        QMetaObject::invokeMethod(
            self,
            [self, s] {
                if (!self || !self->running()) return;
                self->state_ = s;
                Q_EMIT self->changed();
            },
            Qt::QueuedConnection);
    });
    progress_ = progress;
    Q_EMIT changed();
    QEventLoop loop;
    std::thread reader([result, progress, spec, overrides, &loop] {
        try {
            result->source = openPlate(spec, overrides, progress.get());
        } catch (...) {
            result->failure = std::current_exception();
        }
        QMetaObject::invokeMethod(&loop, &QEventLoop::quit, Qt::QueuedConnection);
    });
    if (QFileInfo(QString::fromStdString(spec)).size() > largeFile)
        std::thread([self, progress, spec, stream = overrides.stream] {
            try {
                const QImage picture = imageOf(va::firstPicture(spec, stream));
                QMetaObject::invokeMethod(
                    self,
                    [self, progress, picture] {
                        if (self && self->progress_ == progress) Q_EMIT self->firstPicture(picture);
                    },
                    Qt::QueuedConnection);
            } catch (const std::exception&) {
                // Opening says what is wrong.
            }
        }).detach();
    loop.exec();
    reader.join();
    progress_.reset();
    Q_EMIT changed();
    if (result->failure) std::rethrow_exception(result->failure);
    return std::move(result->source);
}

}  // namespace va
