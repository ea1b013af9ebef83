// SPDX-License-Identifier: GPL-3.0-or-later
#include "inspector/photo_section.h"

#include <QSignalBlocker>
#include <algorithm>
#include <cmath>

#include "inspector/compact_table.h"

namespace va {
namespace {

// The slider goes over the logarithm of the focal length in widths.
constexpr double shortest = 0.3, longest = 6;
constexpr int sliderSteps = 1000;

}  // namespace

PhotoSection::PhotoSection(Document& document, PhotoEdits& edits, const QMap<QString, QAction*>& actions)
    : Page(tr("Photo match"), Kind::section), document_(document), edits_(edits) {
    buttons({actions["photoTool"], actions["photoAxisX"], actions["photoAxisY"], actions["photoAxisZ"]});
    buttons({actions["findPhotoLines"], actions["clearFoundLines"]});
    buttons({actions["photoRectangle"], actions["photoHorizon"], actions["photoPoint"]});
    table_ =
        compactTable("photoEvidence", tr("What the picture is matched by"), {tr("From"), tr("Count"), tr("Off by")});
    table_->setToolTip(tr("What the picture is matched by, and how far each kind is off, RMS in px."));
    insert(table_);
    focal_ = number(tr("Focal length"), 1, tr("px"));
    focal_->setObjectName("photoFocal");
    slider_ = new QSlider(Qt::Horizontal);
    slider_->setObjectName("photoFocalSlider");
    slider_->setAccessibleName(tr("Focal length by eye"));
    slider_->setToolTip(
        tr("Focal length by eye: the near side of the rectangle stays where it is, so that one sees "
           "whether the floor fits behind as well"));
    slider_->setRange(0, sliderSteps);
    insert(slider_);
    held_ = check(tr("Hold the focal length"));
    held_->setObjectName("photoFocalHeld");
    width_ = number(tr("Width"), 3, tr("m"));
    width_->setObjectName("photoWidth");
    depth_ = number(tr("Depth"), 3, tr("m"));
    depth_->setObjectName("photoDepth");
    for (NumberField* f : {width_, depth_}) f->setToolTip(tr("Of the rectangle; 0 = not known"));
    height_ = number(tr("Camera height"), 3, tr("m"));
    height_->setObjectName("photoHeight");
    height_->setToolTip(tr("Over the ground; 0 = not known"));
    x_ = number(tr("Point X"), 3, tr("m"));
    y_ = number(tr("Point Y"), 3, tr("m"));
    z_ = number(tr("Point Z"), 3, tr("m"));
    x_->setObjectName("photoPointX");
    y_->setObjectName("photoPointY");
    z_->setObjectName("photoPointZ");
    buttons({actions["matchFrame"], actions["clearPhoto"]});
    note_ = note();
    connect(focal_, &NumberField::edited, &edits_, &PhotoEdits::setFocalByEye);
    connect(slider_, &QSlider::valueChanged, this, [this](int v) {
        if (refreshing_ || !document_.shot().hasPlate()) return;
        const double widths = shortest * std::pow(longest / shortest, double(v) / sliderSteps);
        edits_.setFocalByEye(widths * document_.shot().plate.width);
    });
    connect(held_, &QCheckBox::toggled, this, [this](bool on) {
        if (refreshing_) return;
        if (on) edits_.setFocalByEye(focal());
        else edits_.releaseFocal();
    });
    const auto sides = [this] { edits_.setRectangleSides(width_->value(), depth_->value()); };
    connect(width_, &NumberField::edited, this, sides);
    connect(depth_, &NumberField::edited, this, sides);
    connect(height_, &NumberField::edited, &edits_, &PhotoEdits::setCameraHeight);
    for (NumberField* f : {x_, y_, z_})
        connect(f, &NumberField::edited, this, [this] {
            edits_.setSpotPosition(edits_.spot(), {x_->value(), y_->value(), z_->value()});
        });
    connect(&edits_, &PhotoEdits::changed, this, &PhotoSection::refresh);
}

double PhotoSection::focal() const {
    const Shot& s = document_.shot();
    return s.solve->motion == Motion::still ? s.solve->lens.focalPx : s.givenLens().focalPx;
}

void PhotoSection::refresh() {
    if (refreshing_) return;
    refreshing_ = true;
    const Shot& s = document_.shot();
    const PhotoMatch& photo = s.photo;
    const PhotoFit& fit = *s.photo.fit;
    struct Line {
        QString from;
        int count = 0;
        double squares = 0;
    };
    std::vector<Line> lines{{tr("Lines along X"), 0, 0}, {tr("Upright, Y"), 0, 0}, {tr("Lines along Z"), 0, 0}};
    for (size_t i = 0; i < photo.lines.size(); ++i) {
        Line& l = lines[size_t(photo.lines[i].axis)];
        ++l.count;
        if (i < fit.lineMisfits.size()) l.squares += fit.lineMisfits[i] * fit.lineMisfits[i];
    }
    if (photo.quad) lines.push_back({tr("Rectangle"), 4, -1});
    if (photo.horizon) lines.push_back({tr("Horizon"), 1, -1});
    if (!photo.spots.empty()) {
        Line l{tr("Known points"), int(photo.spots.size()), 0};
        for (const double m : fit.spotMisfits) l.squares += m * m;
        lines.push_back(l);
    }
    std::erase_if(lines, [](const Line& l) { return l.count == 0; });
    table_->setRowCount(int(lines.size()));
    for (int i = 0; i < table_->rowCount(); ++i) {
        const Line& l = lines[size_t(i)];
        setCell(table_, i, 0, l.from);
        setCell(table_, i, 1, QString::number(l.count), true);
        setCell(table_, i, 2,
                l.squares >= 0 && fit.found ? tr("%1 px").arg(std::sqrt(l.squares / l.count), 0, 'f', 2) : QString("–"),
                true);
    }
    fitRows(table_, 5);
    const bool has = s.hasPlate();
    focal_->setValue(has ? focal() : 0);
    {
        const QSignalBlocker blocker(slider_);
        const double widths = has ? focal() / s.plate.width : 1;
        slider_->setValue(int(std::lround(sliderSteps * std::log(widths / shortest) / std::log(longest / shortest))));
    }
    const bool available = edits_.available();
    slider_->setEnabled(available);
    focal_->setEnabled(available);
    held_->setEnabled(available);
    held_->setChecked(s.priors.focal == Known::known);
    width_->setValue(photo.quad ? photo.quad->width : 0);
    depth_->setValue(photo.quad ? photo.quad->depth : 0);
    for (NumberField* f : {width_, depth_}) f->parentWidget()->setVisible(photo.quad.has_value());
    height_->setValue(photo.cameraHeight);
    height_->setEnabled(available && !photo.empty());
    const int spot = edits_.spot();
    for (NumberField* f : {x_, y_, z_}) f->parentWidget()->setVisible(spot >= 0);
    if (spot >= 0) {
        const Eigen::Vector3d& p = photo.spots[size_t(spot)].position;
        x_->setValue(p.x()), y_->setValue(p.y()), z_->setValue(p.z());
    }
    note_->setText(!has ? QString()
                   : !available
                       ? tr("The shot is solved by its motion. A frame of it can be matched as a photo instead.")
                   : photo.empty()
                       ? tr("Draw lines along things that are square to each other, find them automatically, or drag a "
                            "rectangle over the floor.")
                   : fit.found && fit.trouble.empty() ? tr("Focal length ± %1 %, upright ± %2°.")
                                                            .arg(100 * fit.focalSigma, 0, 'f', 1)
                                                            .arg(fit.uprightSigmaDeg, 0, 'f', 1)
                                                      : QString::fromStdString(fit.trouble));
    refreshing_ = false;
}

}  // namespace va
