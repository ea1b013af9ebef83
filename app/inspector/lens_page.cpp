// SPDX-License-Identifier: GPL-3.0-or-later
#include "inspector/lens_page.h"

#include <cmath>

#include "lens/film_back.h"

namespace va {
namespace {

constexpr double degrees = 180 / M_PI;

QComboBox* stateBox(const char* name) {
    auto* box = new QComboBox;
    box->addItems({LensPage::tr("unknown"), LensPage::tr("start value"), LensPage::tr("known")});
    box->setObjectName(QLatin1String(name));
    return box;
}

}  // namespace

LensPage::LensPage(Document& document, const QMap<QString, QAction*>& actions) : Page(tr("Lens")), document_(document) {
    buildBack();
    buildModel(actions);
    buildSolved();
}

void LensPage::edit(const QString& name, const std::function<void(CameraBack&)>& change) {
    Shot next = document_.shot();
    change(next.back);
    if (!(next.back == document_.shot().back)) document_.edit(name, next);
}

void LensPage::editFocal(const QString& name, double mm) {
    if (!(mm > 0) || !std::isfinite(mm)) return;
    edit(name, [mm](CameraBack& b) {
        b.focalMm = mm;
        if (b.focal == Known::unknown) b.focal = Known::start;
    });
}

void LensPage::buildBack() {
    caption(tr("Camera back"));
    sensor_ = number(tr("Sensor width"), 3, tr("mm"));
    sensor_->setObjectName("sensorWidth");
    focalKnown_ = stateBox("focalKnown");
    row(tr("Focal length is"), focalKnown_);
    focalMm_ = number(tr("Focal length"), 3, tr("mm"));
    focalMm_->setObjectName("focalMm");
    focalPx_ = number(tr("Focal length"), 2, tr("px"));
    focalPx_->setObjectName("focalPx");
    across_ = number(tr("Field of view"), 3, tr("°"));
    across_->setObjectName("fieldOfView");
    principalKnown_ = stateBox("principalKnown");
    row(tr("Principal point is"), principalKnown_);
    offsetX_ = number(tr("Offset right"), 2, tr("px"));
    offsetY_ = number(tr("Offset down"), 2, tr("px"));
    connect(sensor_, &NumberField::edited, this, [this](double v) {
        if (v > 0) edit(tr("Set sensor width"), [v](CameraBack& b) { b.sensorWidthMm = v, b.sensorAssumed = false; });
    });
    connect(focalKnown_, &QComboBox::activated, this, [this](int i) {
        edit(tr("Set focal length state"), [&, i](CameraBack& b) {
            b.focal = Known(i);
            const Shot& s = document_.shot();
            if (i != 0 && b.focalMm <= 0)
                b.focalMm = s.plate.focalMm ? *s.plate.focalMm
                            : s.solve->has()
                                ? focalMmFromPx(s.solve->lens.focalPx, b.sensorWidthMm, s.plate.width, s.pixelAspect())
                                : 35;
        });
    });
    connect(focalMm_, &NumberField::edited, this, [this](double v) { editFocal(tr("Set focal length"), v); });
    connect(focalPx_, &NumberField::edited, this, [this](double v) {
        const Shot& s = document_.shot();
        if (v > 0 && s.hasPlate())
            editFocal(tr("Set focal length"), focalMmFromPx(v, s.back.sensorWidthMm, s.plate.width, s.pixelAspect()));
    });
    connect(across_, &NumberField::edited, this, [this](double v) {
        if (v > 0 && v < 179)
            editFocal(tr("Set field of view"), document_.shot().back.sensorWidthMm / (2 * std::tan(v / degrees / 2)));
    });
    connect(principalKnown_, &QComboBox::activated, this,
            [this](int i) { edit(tr("Set principal point state"), [i](CameraBack& b) { b.principal = Known(i); }); });
    connect(offsetX_, &NumberField::edited, this,
            [this](double v) { edit(tr("Set principal point"), [v](CameraBack& b) { b.principalOffset.x() = v; }); });
    connect(offsetY_, &NumberField::edited, this,
            [this](double v) { edit(tr("Set principal point"), [v](CameraBack& b) { b.principalOffset.y() = v; }); });
}

void LensPage::buildModel(const QMap<QString, QAction*>& actions) {
    caption(tr("Distortion"));
    distortionKnown_ = stateBox("distortionKnown");
    row(tr("Distortion is"), distortionKnown_);
    model_ = new QComboBox;
    model_->addItems({tr("Brown–Conrady"), tr("division"), tr("fisheye"), tr("anamorphic")});
    model_->setObjectName("lensModel");
    row(tr("Model"), model_);
    for (int kind = 0; kind < lensKinds; ++kind) {
        const auto names = lensValueNames(LensKind(kind));
        for (int i = 0; i < int(names.size()); ++i) {
            NumberField* field = number(QLatin1String(names[size_t(i)]), 6, QString());
            field->setObjectName(QLatin1String(lensKindName(LensKind(kind))) + "-" + names[size_t(i)]);
            numbers_[size_t(kind)].push_back(field);
            connect(field, &NumberField::edited, this, [this, i, name = QString(names[size_t(i)])](double v) {
                edit(tr("Set %1").arg(name), [v, i](CameraBack& b) {
                    b.lens.setValue(i, v);
                    if (b.distortion == Known::unknown) b.distortion = Known::start;
                });
            });
        }
    }
    buttons({actions["straightView"], actions["lensGrid"]});
    buttons({actions["loadLens"], actions["saveLens"]});
    connect(distortionKnown_, &QComboBox::activated, this, [this](int i) {
        edit(tr("Set distortion state"), [&, i](CameraBack& b) {
            // What was solved is the best start there is.
            const Shot& s = document_.shot();
            if (b.distortion == Known::unknown && b.lens.isZero() && s.solve->has() &&
                s.solve->lens.lens.kind() == b.lens.kind())
                b.lens = s.solve->lens.lens;
            b.distortion = Known(i);
        });
    });
    connect(model_, &QComboBox::activated, this, [this](int i) {
        edit(tr("Set lens model"), [i](CameraBack& b) {
            if (b.lens.kind() != LensKind(i)) b.lens = LensModel{LensKind(i)};
        });
    });
}

void LensPage::buildSolved() {
    caption(tr("Solved"));
    solvedMm_ = read(tr("Focal length"), tr("mm"));
    solvedPx_ = read(tr("Focal length"), tr("px"));
    solvedAcross_ = read(tr("Field of view"), tr("°"));
    solvedLens_ = read(tr("Distortion"));
    note_ = note();
}

void LensPage::refresh() {
    const Shot& s = document_.shot();
    const CameraBack& b = s.back;
    const bool focalGiven = b.focal != Known::unknown && b.focalMm > 0;
    const double px =
        focalGiven && s.hasPlate() ? focalPxFromMm(b.focalMm, b.sensorWidthMm, s.plate.width, s.pixelAspect()) : 0;
    sensor_->setValue(b.sensorWidthMm);
    focalKnown_->setCurrentIndex(int(b.focal));
    focalMm_->setValue(b.focalMm);
    focalPx_->setValue(px);
    across_->setValue(focalGiven ? fieldOfView(b.focalMm, b.sensorWidthMm) * degrees : 0);
    for (NumberField* f : {focalMm_, focalPx_, across_}) f->parentWidget()->setVisible(b.focal != Known::unknown);
    principalKnown_->setCurrentIndex(int(b.principal));
    offsetX_->setValue(b.principalOffset.x());
    offsetY_->setValue(b.principalOffset.y());
    for (NumberField* f : {offsetX_, offsetY_}) f->parentWidget()->setVisible(b.principal != Known::unknown);
    distortionKnown_->setCurrentIndex(int(b.distortion));
    model_->setCurrentIndex(int(b.lens.kind()));
    for (int kind = 0; kind < lensKinds; ++kind)
        for (size_t i = 0; i < numbers_[size_t(kind)].size(); ++i) {
            NumberField* f = numbers_[size_t(kind)][i];
            f->parentWidget()->setVisible(LensKind(kind) == b.lens.kind() && b.distortion != Known::unknown);
            if (LensKind(kind) == b.lens.kind()) f->setValue(b.lens.value(int(i)));
        }
    const bool has = s.solve->has() && s.solve->motion != Motion::fixed;
    const Intrinsics& l = s.solve->lens;
    const auto shown = [&](double v, int digits) { return has ? QString::number(v, 'f', digits) : QString("–"); };
    solvedMm_->setText(shown(focalMmFromPx(l.focalPx, b.sensorWidthMm, s.plate.width, s.pixelAspect()), 3));
    solvedPx_->setText(shown(l.focalPx, 2));
    solvedAcross_->setText(shown(fieldOfView(l.focalPx / l.pixelAspect, s.plate.width) * degrees, 3));
    QStringList numbers;
    for (int i = 0; i < l.lens.count(); ++i)
        if (l.lens.value(i) != 0)
            numbers << QString("%1 %2").arg(QLatin1String(lensValueNames(l.lens.kind())[size_t(i)]),
                                            QString::number(l.lens.value(i), 'f', 6).replace('-', QChar(0x2212)));
    solvedLens_->setText(has ? (numbers.isEmpty() ? tr("none") : numbers.join("\n")) : QString("–"));
    note_->setText(b.sensorAssumed ? tr("The sensor width is assumed: mm then only name an angle of view.")
                                   : QString());
}

}  // namespace va
