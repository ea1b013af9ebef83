// SPDX-License-Identifier: GPL-3.0-or-later
#include "inspector/back_section.h"

#include <QCompleter>
#include <QStringListModel>
#include <cmath>

#include "lens/convert_lens.h"
#include "lens/film_back.h"

namespace va {
namespace {

constexpr double degrees = 180 / M_PI;

}  // namespace

BackSection::BackSection(Document& document, LensEdits& edits, const QMap<QString, QAction*>& actions)
    : Page(tr("Camera back"), Kind::part), document_(document), edits_(edits) {
    buildSensor(actions);
    buildFocal();
    buildCut();
    caption(tr("Solved"));
    solvedMm_ = read(tr("Focal length"), tr("mm"));
    solvedPx_ = read(tr("Focal length"), tr("px"));
    solvedAcross_ = read(tr("Field of view"), tr("°"));
    solvedAcross_->setToolTip(tr("Horizontal field of view, distortion included"));
    note_ = note();
}

void BackSection::edit(const QString& name, const std::function<void(CameraPriors&)>& change) {
    Shot next = document_.shot();
    change(next.priors);
    if (!(next.priors == document_.shot().priors)) document_.edit(name, next);
}

void BackSection::editFocal(const QString& name, double mm) {
    if (!(mm > 0) || !std::isfinite(mm)) return;
    const Shot& s = document_.shot();
    edit(name, [&](CameraPriors& b) {
        b.focalMm = mm;
        if (b.focal != Known::unknown) return;
        b.focal = Known::start;
        // A distortion that was found in the picture stays what it is in px.
        if (b.distortion != Known::unknown && s.hasPlate())
            b.lens = distortionForFocal(
                b.lens, focalPxFromMm(mm, b.sensorWidthMm, s.plate.width, s.pixelAspect()) / s.givenLens().focalPx);
    });
}

double BackSection::cropFactor() const {
    const Shot& s = document_.shot();
    if (!s.hasPlate()) return fullFrameWidthMm / s.priors.sensorWidthMm;
    const double high = s.priors.sensorWidthMm * s.plate.height / (s.plate.width * s.pixelAspect());
    return std::hypot(36.0, 24.0) / std::hypot(s.priors.sensorWidthMm, high);
}

void BackSection::buildSensor(const QMap<QString, QAction*>& actions) {
    filmBack_ = new QComboBox;
    filmBack_->setObjectName("filmBack");
    filmBack_->addItem(tr("by its width"));
    for (const FilmBack& f : filmBacks()) {
        filmBack_->addItem(QString::fromUtf8(f.name));
        filmBack_->setItemData(filmBack_->count() - 1,
                               tr("%1 × %2 mm · %3").arg(f.widthMm).arg(f.heightMm).arg(QString::fromUtf8(f.source)),
                               Qt::ToolTipRole);
    }
    filmBack_->setMaximumWidth(150);
    row(tr("Film back"), filmBack_);
    camera_ = new QLineEdit;
    camera_->setObjectName("cameraName");
    camera_->setPlaceholderText(tr("maker and model"));
    camera_->setToolTip(tr("Looks the sensor up in the open camera data base"));
    camera_->setMinimumWidth(150);
    auto* completer = new QCompleter(new QStringListModel(camera_), camera_);
    completer->setCaseSensitivity(Qt::CaseInsensitive);
    completer->setFilterMode(Qt::MatchContains);
    camera_->setCompleter(completer);
    row(tr("Camera"), camera_);
    sensor_ = number(tr("Sensor width"), 3, tr("mm"));
    sensor_->setObjectName("sensorWidth");
    high_ = read(tr("Sensor height"), tr("mm"));
    squeeze_ = number(tr("Squeeze"), 3, tr("×"));
    squeeze_->setObjectName("squeeze");
    squeeze_->setToolTip(tr("Anamorphic squeeze: displayed width of a pixel over its height"));
    buttons({actions["takeMetadata"]});
    connect(filmBack_, &QComboBox::activated, this, [this](int i) {
        if (i > 0) edits_.setFilmBack(filmBacks()[size_t(i - 1)].widthMm, {});
    });
    connect(camera_, &QLineEdit::textEdited, this, [this, completer] {
        auto* model = static_cast<QStringListModel*>(completer->model());
        if (model->rowCount() > 0) return;
        QStringList names;
        for (const CameraEntry& c : edits_.base().all())
            names << QString::fromStdString(c.model.starts_with(c.maker) ? c.model : c.maker + " " + c.model);
        names.sort(Qt::CaseInsensitive);
        model->setStringList(names);
    });
    connect(camera_, &QLineEdit::returnPressed, this, [this] {
        const QString name = camera_->text().trimmed();
        if (!name.isEmpty() && name.toStdString() != document_.shot().priors.camera) edits_.takeCamera(name);
    });
    connect(sensor_, &NumberField::edited, this, [this](double v) {
        if (v > 0)
            edit(tr("Set sensor width"),
                 [v](CameraPriors& b) { b.sensorWidthMm = v, b.sensorAssumed = false, b.camera.clear(); });
    });
    connect(squeeze_, &NumberField::edited, this, [this](double v) {
        if (!(v > 0.1 && v < 10)) return refresh();
        Shot next = document_.shot();
        next.overrides.pixelAspect = reduced(std::llround(v * 1000000), 1000000);
        document_.edit(tr("Set squeeze"), next);
    });
}

void BackSection::buildFocal() {
    caption(tr("Focal length"));
    const QStringList states{tr("unknown"), tr("start value"), tr("known")};
    focalKnown_ = choice(tr("Focal length is"), states);
    focalKnown_->setObjectName("focalKnown");
    focalMm_ = number(tr("Focal length"), 3, tr("mm"));
    focalMm_->setObjectName("focalMm");
    focalPx_ = number(tr("Focal length"), 2, tr("px"));
    focalPx_->setObjectName("focalPx");
    focal35_ = number(tr("As on 35 mm"), 2, tr("mm"));
    focal35_->setObjectName("focal35");
    focal35_->setToolTip(tr("Focal length with the same angle over the diagonal of 36 × 24 mm"));
    across_ = number(tr("Field of view"), 3, tr("°"));
    across_->setObjectName("fieldOfView");
    principalKnown_ = choice(tr("Principal point is"), states);
    principalKnown_->setObjectName("principalKnown");
    offsetX_ = number(tr("Offset right"), 2, tr("px"));
    offsetX_->setObjectName("offsetX");
    offsetY_ = number(tr("Offset down"), 2, tr("px"));
    offsetY_->setObjectName("offsetY");
    connect(focalKnown_, &QComboBox::activated, this, [this](int i) {
        edit(tr("Set focal length state"), [&, i](CameraPriors& b) {
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
            editFocal(tr("Set focal length"), focalMmFromPx(v, s.priors.sensorWidthMm, s.plate.width, s.pixelAspect()));
    });
    connect(focal35_, &NumberField::edited, this,
            [this](double v) { editFocal(tr("Set focal length"), v / cropFactor()); });
    connect(across_, &NumberField::edited, this, [this](double v) {
        if (v > 0 && v < 179)
            editFocal(tr("Set field of view"), document_.shot().priors.sensorWidthMm / (2 * std::tan(v / degrees / 2)));
    });
    connect(principalKnown_, &QComboBox::activated, this,
            [this](int i) { edit(tr("Set principal point state"), [i](CameraPriors& b) { b.principal = Known(i); }); });
    connect(offsetX_, &NumberField::edited, this,
            [this](double v) { edit(tr("Set principal point"), [v](CameraPriors& b) { b.principalOffset.x() = v; }); });
    connect(offsetY_, &NumberField::edited, this,
            [this](double v) { edit(tr("Set principal point"), [v](CameraPriors& b) { b.principalOffset.y() = v; }); });
}

void BackSection::buildCut() {
    caption(tr("The plate is a cut-out of"));
    const QString names[4] = {tr("Whole width"), tr("Whole height"), tr("From left"), tr("From top")};
    const char* objects[4] = {"cutWidth", "cutHeight", "cutLeft", "cutTop"};
    for (size_t i = 0; i < 4; ++i) {
        cut_[i] = number(names[i], 1, tr("px"));
        cut_[i]->setObjectName(QLatin1String(objects[i]));
        cut_[i]->setToolTip(tr("In px of the plate, after any change of size; 0 = the plate is whole"));
        connect(cut_[i], &NumberField::edited, this, [this](double) {
            CameraPriors::Cut cut{cut_[0]->value(), cut_[1]->value(), cut_[2]->value(), cut_[3]->value()};
            const PlateInfo& p = document_.shot().plate;
            // One size gives the other until it is said as well, cut from the middle.
            if (cut.fullWidth > 0 && cut.fullHeight <= 0) cut.fullHeight = cut.fullWidth * p.height / p.width;
            if (cut.fullHeight > 0 && cut.fullWidth <= 0) cut.fullWidth = cut.fullHeight * p.width / p.height;
            if (document_.shot().priors.cut.fullWidth <= 0 && cut.left == 0 && cut.top == 0) {
                cut.left = (cut.fullWidth - p.width) / 2;
                cut.top = (cut.fullHeight - p.height) / 2;
            }
            edits_.setCut(cut);
            refresh();
        });
    }
}

void BackSection::refresh() {
    const Shot& s = document_.shot();
    const CameraPriors& b = s.priors;
    const bool focalGiven = b.focal != Known::unknown && b.focalMm > 0;
    const double px =
        focalGiven && s.hasPlate() ? focalPxFromMm(b.focalMm, b.sensorWidthMm, s.plate.width, s.pixelAspect()) : 0;
    int back = 0;
    for (size_t i = 0; i < filmBacks().size(); ++i)
        if (!b.sensorAssumed && std::fabs(filmBacks()[i].widthMm - b.sensorWidthMm) < 1e-6 && back == 0)
            back = int(i) + 1;
    filmBack_->setCurrentIndex(back);
    if (!camera_->hasFocus()) camera_->setText(QString::fromStdString(b.camera));
    sensor_->setValue(b.sensorWidthMm);
    high_->setText(s.hasPlate()
                       ? QString::number(b.sensorWidthMm * s.plate.height / (s.plate.width * s.pixelAspect()), 'f', 3)
                       : QString("–"));
    squeeze_->setValue(s.pixelAspect());
    focalKnown_->setCurrentIndex(int(b.focal));
    focalMm_->setValue(b.focalMm);
    focalPx_->setValue(px);
    focal35_->setValue(focalGiven ? b.focalMm * cropFactor() : 0);
    across_->setValue(focalGiven ? fieldOfView(b.focalMm, b.sensorWidthMm) * degrees : 0);
    for (NumberField* f : {focalMm_, focalPx_, focal35_, across_})
        f->parentWidget()->setVisible(b.focal != Known::unknown);
    principalKnown_->setCurrentIndex(int(b.principal));
    offsetX_->setValue(b.principalOffset.x());
    offsetY_->setValue(b.principalOffset.y());
    for (NumberField* f : {offsetX_, offsetY_}) f->parentWidget()->setVisible(b.principal != Known::unknown);
    const double cut[4] = {b.cut.fullWidth, b.cut.fullHeight, b.cut.left, b.cut.top};
    for (size_t i = 0; i < 4; ++i) {
        cut_[i]->setValue(cut[i]);
        if (i >= 2) cut_[i]->parentWidget()->setVisible(b.cut.fullWidth > 0);
    }
    const bool has = s.solve->hasLens();
    const Intrinsics& l = s.solve->lens;
    const auto shown = [&](double v, int digits) { return has ? QString::number(v, 'f', digits) : QString("–"); };
    solvedMm_->setText(shown(focalMmFromPx(l.focalPx, b.sensorWidthMm, s.plate.width, s.pixelAspect()), 3));
    solvedPx_->setText(shown(l.focalPx, 2));
    solvedAcross_->setText(shown(has ? horizontalFieldOfView(l, s.plate.width, s.plate.height) * degrees : 0, 3));
    note_->setText(b.sensorAssumed ? tr("The sensor width is assumed: mm then only name an angle of view.")
                                   : QString());
}

}  // namespace va
