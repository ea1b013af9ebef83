// SPDX-License-Identifier: GPL-3.0-or-later
#include "inspector/export_page.h"

#include <QFileInfo>
#include <QStandardPaths>

#include "base/error.h"
#include "exchange/formats.h"
#include "lens/undistorted_frame.h"
#include "workflow/stale.h"

namespace va {

ExportPage::ExportPage(const PageContext& context) : Page(tr("Export")), document_(context.document) {
    caption(tr("Folder"));
    folder_ = new QLineEdit;
    folder_->setObjectName("exportFolder");
    folder_->setAccessibleName(tr("Export folder"));
    insert(folder_);
    undistorted_ = check(tr("For the undistorted plate"));
    undistorted_->setObjectName("exportUndistorted");
    undistorted_->setToolTip(tr("Size, field of view and principal point of the larger undistorted frame"));
    write_ = new QPushButton(tr("Write and verify"));
    write_->setObjectName("exportButton");
    QStringList files;
    for (const ExportFormat* f : exportFormats()) files << QLatin1String(f->fileName);
    write_->setToolTip(tr("Writes %1, reads them back and compares in px").arg(files.join(tr(", "))));
    insert(write_);
    caption(tr("What the next program must show"));
    size_ = read(tr("Size"), tr("px"));
    rate_ = read(tr("Rate"), tr("fps"));
    range_ = read(tr("Frames"));
    unit_ = read(tr("Unit"));
    report_ = note();
    report_->setObjectName("exportReport");
    connect(write_, &QPushButton::clicked, this, [=, this] {
        try {
            report_->setText(document_.exportTo(folder_->text(), undistorted_->isChecked()).join("\n\n"));
        } catch (const Error& e) {
            Q_EMIT document_.troubled(QString::fromUtf8(e.what()));
        }
    });
    connect(undistorted_, &QCheckBox::toggled, this, &ExportPage::refresh);
}

void ExportPage::refresh() {
    const Shot& s = document_.shot();
    if (!folder_->hasFocus() && !folder_->isModified()) {
        const QString base = document_.fileName().isEmpty()
                                 ? QStandardPaths::writableLocation(QStandardPaths::DocumentsLocation)
                                 : QFileInfo(document_.fileName()).absolutePath();
        folder_->setText(base + "/" + QString::fromStdString(s.name.empty() ? "shot" : s.name) + "-export");
    }
    write_->setEnabled(s.solve->has());
    size_->setText(s.hasPlate() ? tr("%1 × %2").arg(s.plate.width).arg(s.plate.height) : QString("–"));
    if (undistorted_->isChecked() && s.solve->has()) {
        try {
            const UndistortedFrame f = undistortedFrame(s.solve->lens, s.plate.width, s.plate.height, Overscan::whole);
            size_->setText(tr("%1 × %2").arg(f.width).arg(f.height));
        } catch (const Error&) {
            size_->setText(tr("none"));
        }
    }
    rate_->setText(
        s.hasPlate()
            ? tr("%1 (%2/%3)").arg(QString::fromStdString(s.rate().label())).arg(s.rate().num).arg(s.rate().den)
            : QString("–"));
    range_->setText(s.solve->frames.empty()
                        ? QString("–")
                        : tr("%1–%2").arg(s.solve->frames.front().frame).arg(s.solve->frames.back().frame));
    unit_->setText(s.ground->metric ? tr("metres") : tr("scene units"));
    if (s.exportedFrom == 0)
        report_->setText(tr("Every file is read back and re-projected before it counts as written."));
    else if (stalenessOf(s).exported) report_->setText(tr("The files were written before the last change."));
}

}  // namespace va
