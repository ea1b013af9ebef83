// SPDX-License-Identifier: GPL-3.0-or-later
#include "inspector/layers_section.h"

#include <cmath>

#include "layout/camera_layers.h"

namespace va {

LayersSection::LayersSection(Document& document, LayoutEdits& edits)
    : Page(tr("Camera layers"), Kind::section), document_(document), edits_(edits) {
    QCheckBox* head = nullptr;
    const auto layer = [this, &head](const char* name, const QString& word, const QString& tip, auto member) {
        QCheckBox* box = check(word);
        box->setObjectName(QLatin1String(name));
        box->setToolTip(tip);
        connect(box, &QCheckBox::clicked, this,
                [this, word, member](bool on) { edit(word, [&](CameraLayers& l) { (l.*member).on = on; }); });
        head = box;
        return box;
    };
    using Get = std::function<double&(CameraLayers&)>;
    const auto value = [this, &head](const char* name, const QString& word, int decimals, const QString& unit,
                                     double low, double high, const Get& at) {
        NumberField* field = number(word, decimals, unit);
        field->setObjectName(QLatin1String(name));
        rows_.emplace_back(head, field->parentWidget());
        numbers_.emplace_back(field, [at](const CameraLayers& l) {
            CameraLayers copy = l;
            return at(copy);
        });
        connect(field, &NumberField::edited, this, [this, word, low, high, at](double v) {
            if (v < low || v > high) {
                Q_EMIT document_.troubled(tr("%1 must be between %2 and %3.").arg(word).arg(low).arg(high));
                return refreshLayers();
            }
            edit(word, [&](CameraLayers& l) { at(l) = v; });
        });
    };
    look_ = layer("layerLook", tr("Look-around"), tr("Turns the camera where it stands, by keys"), &CameraLayers::look);
    const QString turns[3] = {tr("Tilt"), tr("Pan"), tr("Roll")};
    for (int k = 0; k < 3; ++k) {
        NumberField* field = number(turns[k], 2, tr("°"));
        field->setObjectName(QStringLiteral("layerLook%1").arg(k));
        field->setToolTip(tr("In this frame: an edit sets a key here"));
        rows_.emplace_back(head, field->parentWidget());
        numbers_.emplace_back(field, [this, k](const CameraLayers& l) {
            return l.look.turn.empty() ? 0 : l.look.turn.at(document_.frame())[k] * 180 / M_PI;
        });
        connect(field, &NumberField::edited, this, [this, k](double v) {
            edit(tr("Look-around"), [&](CameraLayers& l) {
                Eigen::Vector3d turn =
                    l.look.turn.empty() ? Eigen::Vector3d::Zero() : Eigen::Vector3d(l.look.turn.at(document_.frame()));
                turn[k] = v * M_PI / 180;
                l.look.turn.keys.set(document_.frame(), turn);
                l.look.turn.keys.setBetween(document_.frame(), Between::smooth);
                l.look.on = true;
            });
        });
    }
    pace_ = layer("layerPace", tr("Offset and pace"), tr("The solved move larger, slower, begun elsewhere"),
                  &CameraLayers::pace);
    value("layerScale", tr("Path"), 3, QStringLiteral("×"), -1e4, 1e4,
          [](CameraLayers& l) -> double& { return l.pace.pathScale; });
    value("layerPaceValue", tr("Pace"), 3, QStringLiteral("×"), -100, 100,
          [](CameraLayers& l) -> double& { return l.pace.pace; });
    value("layerBegin", tr("Begin later by"), 0, tr("f"), -1e6, 1e6,
          [](CameraLayers& l) -> double& { return l.pace.begin; });
    for (int k = 0; k < 3; ++k)
        value(k == 0   ? "layerX"
              : k == 1 ? "layerY"
                       : "layerZ",
              k == 0   ? tr("Offset X")
              : k == 1 ? tr("Offset Y")
                       : tr("Offset Z"),
              3, tr("unit"), -1e6, 1e6, [k](CameraLayers& l) -> double& { return l.pace.offset[k]; });
    shake_ = layer("layerShake", tr("Shake"), tr("Noise over the solved camera: the same for the same seed"),
                   &CameraLayers::shake);
    value("shakePx", tr("Shift"), 1, tr("px"), 0, 1e4, [](CameraLayers& l) -> double& { return l.shake.px; });
    value("shakePxRate", tr("Shift rate"), 2, tr("Hz"), 0.01, 100,
          [](CameraLayers& l) -> double& { return l.shake.pxRate; });
    value("shakeDegrees", tr("Roll"), 2, tr("°"), 0, 180, [](CameraLayers& l) -> double& { return l.shake.degrees; });
    value("shakeDegreesRate", tr("Roll rate"), 2, tr("Hz"), 0.01, 100,
          [](CameraLayers& l) -> double& { return l.shake.degreesRate; });
    NumberField* seed = number(tr("Seed"), 0, QStringLiteral(" "));
    seed->setObjectName("shakeSeed");
    rows_.emplace_back(head, seed->parentWidget());
    numbers_.emplace_back(seed, [](const CameraLayers& l) { return double(l.shake.seed); });
    connect(seed, &NumberField::edited, this, [this](double v) {
        edit(tr("Seed"), [&](CameraLayers& l) { l.shake.seed = uint32_t(std::clamp(v, 0.0, 4e9)); });
    });
    steady_ = layer("layerSteady", tr("Steady"), tr("The path smoothed over time"), &CameraLayers::steady);
    value("steadyWidth", tr("Width"), 1, tr("f"), 0.1, 1e4, [](CameraLayers& l) -> double& { return l.steady.width; });
    note_ = note();
    note_->setObjectName("layersNote");
    connect(&document_, &Document::shotChanged, this, &LayersSection::refreshLayers);
    connect(&document_, &Document::frameChanged, this, &LayersSection::refreshLayers);
    refreshLayers();
}

void LayersSection::edit(const QString& name, const std::function<void(CameraLayers&)>& change) {
    CameraLayers next = document_.shot().layers;
    change(next);
    edits_.setLayers(name, next);
    refreshLayers();
}

void LayersSection::refreshLayers() {
    const Shot& shot = document_.shot();
    const CameraLayers& l = shot.layers;
    look_->setChecked(l.look.on), pace_->setChecked(l.pace.on);
    shake_->setChecked(l.shake.on), steady_->setChecked(l.steady.on);
    for (const auto& [field, get] : numbers_) field->setValue(get(l));
    for (const auto& [box, row] : rows_) row->setVisible(box->isChecked());
    if (!l.any() || !shot.solve->has())
        return note_->setText(shot.solve->has() ? tr("The solved camera is locked; what is put on here lies over it.")
                                                : tr("Solve the shot first: layers lie over the solved camera."));
    const auto cameras = layeredCameras(*shot.solve, shot.ground->worldFromSolve, l, shot.range, shot.rate().value());
    const int w = shot.plate.width, h = shot.plate.height;
    const LayerOverscan over = overscanOf(cameras, shot.solve->lens, w, h);
    const double crop = cropOf(cameras, shot.solve->lens, w, h);
    note_->setText(!over.possible ? tr("The layers look beyond any frame of the plate: more than 80° off. Turn less.")
                                  : tr("Needs a frame of %1 × %2, %3 %; without it %4 % of the picture is left.")
                                        .arg(w + over.left + over.right)
                                        .arg(h + over.top + over.bottom)
                                        .arg(100 * over.share(w, h), 0, 'f', 1)
                                        .arg(100 * crop, 0, 'f', 1));
}

}  // namespace va
