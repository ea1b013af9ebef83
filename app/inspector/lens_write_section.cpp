// SPDX-License-Identifier: GPL-3.0-or-later
#include "inspector/lens_write_section.h"

#include <QFileInfo>
#include <QStandardPaths>
#include <cmath>

namespace va {

LensWriteSection::LensWriteSection(Document& document, const QMap<QString, QAction*>& actions)
    : Page(tr("Undistorted and distorted pictures"), Kind::part), document_(document) {
    caption(tr("Folder"));
    folder_ = new QLineEdit;
    folder_->setObjectName("lensFolder");
    folder_->setAccessibleName(tr("Folder for pictures"));
    insert(folder_);
    format_ = choice(tr("Format"), {"exr", "png", "tif", "dpx", "jpg", "mov", "mp4"});
    format_->setObjectName("lensFormat");
    filter_ = choice(tr("Filter"), {tr("bilinear"), tr("bicubic"), tr("sinc")});
    filter_->setCurrentIndex(1);
    filter_->setToolTip(tr("Every picture is filtered once"));
    overscan_ = check(tr("Frame large enough for all of the plate"));
    overscan_->setObjectName("lensOverscan");
    overscan_->setChecked(true);
    straightAlpha_ = check(tr("EXR insert's colour is not multiplied by its alpha"));
    caption(tr("Undistorted frame"));
    size_ = read(tr("Size"), tr("px"));
    size_->setObjectName("undistortedSize");
    view_ = read(tr("Field of view"), tr("°"));
    buttons({actions["writeUndistorted"], actions["writeRedistorted"], actions["writeStmaps"]});
    note_ = note();
    note_->setText(
        tr("Never filter the plate twice: either work on the undistorted plate and stay there, or leave the plate "
           "alone and distort the insert."));
    connect(overscan_, &QCheckBox::toggled, this, &LensWriteSection::refresh);
}

LensEdits::Writing LensWriteSection::writing() const {
    return {folder_->text(), format_->currentText(), Filter(filter_->currentIndex()),
            overscan_->isChecked() ? Overscan::whole : Overscan::none, straightAlpha_->isChecked()};
}

void LensWriteSection::refresh() {
    const Shot& s = document_.shot();
    if (!folder_->hasFocus() && !folder_->isModified()) {
        const QString base = document_.fileName().isEmpty()
                                 ? QStandardPaths::writableLocation(QStandardPaths::DocumentsLocation)
                                 : QFileInfo(document_.fileName()).absolutePath();
        folder_->setText(base + "/" + QString::fromStdString(s.name.empty() ? "shot" : s.name) + "-undistorted");
    }
    size_->setText("–");
    view_->setText("–");
    const auto lens = s.lens();
    if (!lens || !s.hasPlate()) return;
    try {
        const UndistortedFrame f = undistortedFrame(*lens, s.plate.width, s.plate.height,
                                                    overscan_->isChecked() ? Overscan::whole : Overscan::none);
        size_->setText(tr("%1 × %2").arg(f.width).arg(f.height));
        view_->setText(
            tr("%1 × %2").arg(f.fieldOfViewX() * 180 / M_PI, 0, 'f', 3).arg(f.fieldOfViewY() * 180 / M_PI, 0, 'f', 3));
    } catch (const std::exception& e) {
        size_->setText(tr("none"));
        size_->setToolTip(QString::fromUtf8(e.what()));
    }
}

}  // namespace va
