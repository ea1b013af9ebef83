// SPDX-License-Identifier: GPL-3.0-or-later
#include "inspector/plate_page.h"

#include <cmath>

#include "base/error.h"

namespace va {

PlatePage::PlatePage(const PageContext& context) : Page(tr("Plate")), document_(context.document) {
    buttons({context.actions["open"]});
    caption(tr("Picture"));
    format_ = read(tr("Format"));
    size_ = read(tr("Size"), tr("px"));
    bits_ = read(tr("Depth"), tr("bit"));
    colour_ = read(tr("Colour"));
    aspect_ = number(tr("Pixel aspect"), 3, QString());
    aspect_->setObjectName("pixelAspect");
    caption(tr("Time"));
    rate_ = new QLineEdit;
    rate_->setObjectName("rateField");
    rate_->setFixedWidth(92);
    rate_->setAlignment(Qt::AlignRight);
    rate_->setToolTip(tr("25, 23.976 or 24000/1001"));
    row(tr("Frame rate"), rate_, tr("fps"));
    frames_ = read(tr("Frames"));
    in_ = number(tr("In"), 0, QString());
    out_ = number(tr("Out"), 0, QString());
    in_->setObjectName("rangeIn");
    out_->setObjectName("rangeOut");
    choices_ = new PlateChoices(document_);
    insert(choices_);
    caption(tr("From the camera"));
    camera_ = read(tr("Model"));
    focal_ = read(tr("Focal length"), tr("mm"));
    note_ = note();
    connect(rate_, &QLineEdit::editingFinished, this, [this] {
        const Shot& s = document_.shot();
        if (!s.hasPlate() || rate_->text() == QString::fromStdString(s.rate().label())) return;
        try {
            Shot next = s;
            next.overrides.rate = parseRational(rate_->text().toStdString());
            document_.edit(tr("Set frame rate"), next);
        } catch (const Error& e) {
            Q_EMIT document_.troubled(QString::fromUtf8(e.what()));
            refresh();
        }
    });
    connect(aspect_, &NumberField::edited, this, [this](double v) {
        if (v <= 0) return refresh();
        Shot next = document_.shot();
        next.overrides.pixelAspect = reduced(std::llround(v * 1000000), 1000000);
        document_.edit(tr("Set pixel aspect"), next);
    });
    connect(in_, &NumberField::edited, this, [this](double v) {
        document_.setRange({int(v), document_.shot().range.last});
    });
    connect(out_, &NumberField::edited, this, [this](double v) {
        document_.setRange({document_.shot().range.first, int(v)});
    });
}

void PlatePage::refresh() {
    const Shot& s = document_.shot();
    const PlateInfo& p = s.plate;
    format_->setText(QString::fromStdString(p.format));
    size_->setText(s.hasPlate() ? tr("%1 × %2").arg(p.width).arg(p.height) : QString());
    bits_->setText(s.hasPlate() ? QString::number(p.bits) : QString());
    colour_->setText(QString::fromStdString(p.colour));
    aspect_->setValue(s.pixelAspect());
    if (!rate_->hasFocus()) rate_->setText(s.hasPlate() ? QString::fromStdString(s.rate().label()) : QString());
    frames_->setText(s.hasPlate() ? tr("%1–%2").arg(p.frames.first).arg(p.frames.last) : QString());
    in_->setValue(s.range.first);
    out_->setValue(s.range.last);
    camera_->setText(p.cameraModel.empty() ? tr("not said")
                                           : QString::fromStdString(p.cameraMaker + " " + p.cameraModel));
    focal_->setText(p.focalMm ? QString::number(*p.focalMm, 'g', 6) : tr("not said"));
    QStringList notes;
    if (p.rateAssumed && !s.overrides.rate && !p.still && s.hasPlate())
        notes << tr("The files do not say the rate: %1 fps is assumed.").arg(QString::fromStdString(p.rate.label()));
    if (p.encoding == PictureEncoding::linear) notes << tr("Linear light, shown through the sRGB curve.");
    if (p.encoding == PictureEncoding::log) notes << tr("Log code values, shown through the Cineon and sRGB curves.");
    for (const auto& w : p.warnings) notes << QString::fromStdString(w);
    for (const auto& n : p.notes) notes << QString::fromStdString(n);
    choices_->refresh();
    note_->setText(notes.join("\n\n"));
}

}  // namespace va
