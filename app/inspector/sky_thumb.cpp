// SPDX-License-Identifier: GPL-3.0-or-later
#include "inspector/sky_thumb.h"

#include <QMouseEvent>
#include <QPainter>
#include <algorithm>

#include "base/error.h"
#include "media/display_transform.h"
#include "proof/sky_picture.h"
#include "style/theme.h"

namespace va {

SkyThumb::SkyThumb(QWidget* parent) : QWidget(parent) {
    setObjectName("skyThumb");
    setAccessibleName(tr("The sky picture"));
    setToolTip(tr("Click something that the plate shows too, then use Turn to a spot and click it in the plate"));
    setFixedHeight(sizeHint().height());
    setCursor(Qt::CrossCursor);
}

void SkyThumb::show(const std::string& file, const std::optional<Eigen::Vector2d>& spot) {
    spot_ = spot;
    if (file != file_) {
        file_ = file, image_ = {};
        try {
            if (!file.empty()) {
                const auto sky = SkyPicture::fromFile(file);
                image_ = QImage(sizeHint(), QImage::Format_RGB32);
                for (int y = 0; y < image_.height(); ++y)
                    for (int x = 0; x < image_.width(); ++x) {
                        const Eigen::Vector3f c = sky->at(skyDirection(
                            {(float(x) + 0.5F) / float(image_.width()), (float(y) + 0.5F) / float(image_.height())}));
                        const auto byte = [](float v) {
                            return int(255 * std::clamp(displayValue(v, PictureEncoding::linear), 0.0F, 1.0F));
                        };
                        image_.setPixel(x, y, qRgb(byte(c.x()), byte(c.y()), byte(c.z())));
                    }
            }
        } catch (const Error&) {  // the proof itself says what is wrong with it
            image_ = {};
        }
    }
    setVisible(!image_.isNull());
    update();
}

void SkyThumb::paintEvent(QPaintEvent*) {
    QPainter painter(this);
    painter.setRenderHint(QPainter::Antialiasing);
    painter.drawImage(rect(), image_);
    if (!spot_) return;
    const QPointF at(spot_->x() * width(), spot_->y() * height());
    painter.setPen(QPen(QColor(0, 0, 0, 170), 3));
    painter.drawEllipse(at, 5, 5);
    painter.setPen(QPen(Theme::current().accent, 1.6));
    painter.drawEllipse(at, 5, 5);
}

void SkyThumb::mousePressEvent(QMouseEvent* event) {
    if (event->button() == Qt::LeftButton && !image_.isNull())
        Q_EMIT marked({event->position().x() / width(), event->position().y() / height()});
}

}  // namespace va
