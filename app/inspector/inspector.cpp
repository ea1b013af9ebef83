// SPDX-License-Identifier: GPL-3.0-or-later
#include "inspector/inspector.h"

#include <QAction>
#include <QDir>
#include <QFileInfo>
#include <QHBoxLayout>
#include <QPushButton>
#include <QScrollBar>
#include <QStandardPaths>
#include <QVBoxLayout>
#include <algorithm>
#include <cmath>

#include "base/error.h"
#include "exchange/formats.h"
#include "inspector/plate_choices.h"
#include "lens/film_back.h"
#include "workflow/stale.h"

namespace va {

Inspector::Inspector(Document& document, FeatureEdits& edits, LensEdits& lensEdits, SolveEdits& solveEdits,
                     SlipWatch& slip, const QMap<QString, QAction*>& actions, QWidget* parent)
    : QScrollArea(parent),
      document_(document),
      edits_(edits),
      lensEdits_(lensEdits),
      solveEdits_(solveEdits),
      slip_(slip) {
    setObjectName("inspector");
    setFixedWidth(248);
    setWidgetResizable(true);
    setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    setFrameShape(QFrame::NoFrame);
    // Pages that are hidden take no room: the one that is seen decides how far there is to scroll.
    auto* all = new QWidget;
    auto* below = new QVBoxLayout(all);
    below->setContentsMargins(0, 0, 0, 0);
    setWidget(all);
    buildPlate(actions);
    buildLens(actions);
    buildFeatures(actions);
    buildSolve(actions);
    buildGround(actions);
    buildLayout(actions);
    buildProof();
    buildExport();
    connect(&document_, &Document::shotChanged, this, &Inspector::refresh);
    connect(&document_, &Document::selectionChanged, this, &Inspector::refresh);
    connect(&document_, &Document::frameChanged, this, &Inspector::refresh);
    connect(&document_, &Document::fileNameChanged, this, &Inspector::refresh);
    refresh();
}

void Inspector::showStep(Step step) {
    if (shown_ == int(step)) return refresh();
    scrolled_[size_t(shown_)] = verticalScrollBar()->value();
    pages_[size_t(shown_)]->hide();
    shown_ = int(step);
    pages_[size_t(shown_)]->show();
    refresh();
    // How far there is to scroll is known once the page is laid out.
    QLayout* layout = widget()->layout();
    layout->activate();
    const int width = viewport()->width();
    widget()->resize(width, std::max({viewport()->height(), layout->totalMinimumSize().height(),
                                      layout->hasHeightForWidth() ? layout->totalHeightForWidth(width) : 0}));
    verticalScrollBar()->setValue(scrolled_[size_t(shown_)]);
}

void Inspector::refresh() {
    if (size_t(shown_) < refreshers_.size()) refreshers_[size_t(shown_)]();
}

void Inspector::add(Page* page) {
    widget()->layout()->addWidget(page);
    page->setVisible(pages_.empty());
    pages_.push_back(page);
}

Page* Inspector::addPage(const QString& title) {
    auto* page = new Page(title);
    add(page);
    return page;
}

void Inspector::buildPlate(const QMap<QString, QAction*>& actions) {
    Page* page = addPage(tr("Plate"));
    page->buttons({actions["open"]});
    page->caption(tr("Picture"));
    QLabel* format = page->read(tr("Format"));
    QLabel* size = page->read(tr("Size"), tr("px"));
    QLabel* bits = page->read(tr("Depth"), tr("bit"));
    QLabel* colour = page->read(tr("Colour"));
    NumberField* aspect = page->number(tr("Pixel aspect"), 3, QString());
    aspect->setObjectName("pixelAspect");
    page->caption(tr("Time"));
    auto* rate = new QLineEdit;
    rate->setObjectName("rateField");
    rate->setFixedWidth(92);
    rate->setAlignment(Qt::AlignRight);
    rate->setToolTip(tr("25, 23.976 or 24000/1001"));
    page->row(tr("Frame rate"), rate, tr("fps"));
    QLabel* frames = page->read(tr("Frames"));
    NumberField* in = page->number(tr("In"), 0, QString());
    NumberField* out = page->number(tr("Out"), 0, QString());
    in->setObjectName("rangeIn");
    out->setObjectName("rangeOut");
    auto* choices = new PlateChoices(document_);
    page->insert(choices);
    page->caption(tr("From the camera"));
    QLabel* camera = page->read(tr("Model"));
    QLabel* focal = page->read(tr("Focal length"), tr("mm"));
    QLabel* note = page->note();
    connect(rate, &QLineEdit::editingFinished, this, [this, rate] {
        const Shot& s = document_.shot();
        if (!s.hasPlate() || rate->text() == QString::fromStdString(s.rate().label())) return;
        try {
            Shot next = s;
            next.overrides.rate = parseRational(rate->text().toStdString());
            document_.edit(tr("Set frame rate"), next);
        } catch (const Error& e) {
            Q_EMIT document_.troubled(QString::fromUtf8(e.what()));
            refresh();
        }
    });
    connect(aspect, &NumberField::edited, this, [this](double v) {
        if (v <= 0) return refresh();
        Shot next = document_.shot();
        next.overrides.pixelAspect = reduced(std::llround(v * 1000000), 1000000);
        document_.edit(tr("Set pixel aspect"), next);
    });
    connect(in, &NumberField::edited, this, [this](double v) {
        document_.setRange({int(v), document_.shot().range.last});
    });
    connect(out, &NumberField::edited, this, [this](double v) {
        document_.setRange({document_.shot().range.first, int(v)});
    });
    refreshers_.push_back([=, this] {
        const Shot& s = document_.shot();
        const PlateInfo& p = s.plate;
        format->setText(QString::fromStdString(p.format));
        size->setText(s.hasPlate() ? tr("%1 × %2").arg(p.width).arg(p.height) : QString());
        bits->setText(s.hasPlate() ? QString::number(p.bits) : QString());
        colour->setText(QString::fromStdString(p.colour));
        aspect->setValue(s.pixelAspect());
        if (!rate->hasFocus()) rate->setText(s.hasPlate() ? QString::fromStdString(s.rate().label()) : QString());
        frames->setText(s.hasPlate() ? tr("%1–%2").arg(p.frames.first).arg(p.frames.last) : QString());
        in->setValue(s.range.first);
        out->setValue(s.range.last);
        camera->setText(p.cameraModel.empty() ? tr("not said")
                                              : QString::fromStdString(p.cameraMaker + " " + p.cameraModel));
        focal->setText(p.focalMm ? QString::number(*p.focalMm, 'g', 6) : tr("not said"));
        QStringList notes;
        if (p.rateAssumed && !s.overrides.rate && !p.still && s.hasPlate())
            notes
                << tr("The files do not say the rate: %1 fps is assumed.").arg(QString::fromStdString(p.rate.label()));
        if (p.encoding == PictureEncoding::linear) notes << tr("Linear light, shown through the sRGB curve.");
        if (p.encoding == PictureEncoding::log)
            notes << tr("Log code values, shown through the Cineon and sRGB curves.");
        for (const auto& w : p.warnings) notes << QString::fromStdString(w);
        for (const auto& n : p.notes) notes << QString::fromStdString(n);
        choices->refresh();
        note->setText(notes.join("\n\n"));
    });
}

void Inspector::buildLens(const QMap<QString, QAction*>& actions) {
    lens_ = new LensPage(document_, lensEdits_, actions);
    add(lens_);
    refreshers_.push_back([this] { lens_->refresh(); });
}

void Inspector::buildFeatures(const QMap<QString, QAction*>& actions) {
    features_ = new FeaturesPage(document_, edits_, actions);
    add(features_);
    refreshers_.push_back([this] { features_->refresh(); });
}

void Inspector::buildSolve(const QMap<QString, QAction*>& actions) {
    solve_ = new SolvePage(document_, solveEdits_, slip_, actions);
    add(solve_);
    refreshers_.push_back([this] { solve_->refresh(); });
}

void Inspector::buildGround(const QMap<QString, QAction*>& actions) {
    Page* page = addPage(tr("Ground"));
    page->caption(tr("Level"));
    QLabel* from = page->read(tr("From"));
    QLabel* fit = page->read(tr("Fit"), QStringLiteral(" "));
    page->buttons({actions["level"], actions["autoLevel"]});
    page->caption(tr("Origin and facing"));
    QLabel* origin = page->read(tr("Origin"));
    QLabel* along = page->read(tr("Z axis along"));
    page->buttons({actions["origin"], actions["zAlong"]});
    page->caption(tr("Scale"));
    NumberField* length = page->number(tr("Distance"), 3, tr("m"));
    length->setObjectName("scaleLength");
    QLabel* between = page->read(tr("Between"));
    QLabel* unit = page->read(tr("1 scene unit"), tr("m"));
    page->buttons({actions["scale"]});
    page->caption(tr("Camera in this frame"));
    QLabel* position = page->read(tr("Position"), QStringLiteral(" "));
    QLabel* note = page->note();
    length->setValue(1);
    connect(length, &NumberField::edited, this, [this](double v) {
        GroundSpec spec = document_.shot().groundSpec;
        if (!spec.length || v <= 0) return;
        spec.length->metres = v;
        document_.setGround(tr("Set scale"), spec);
    });
    refreshers_.push_back([=, this] {
        const Shot& s = document_.shot();
        const GroundSpec& g = s.groundSpec;
        const GroundFit& f = *s.ground;
        const auto name = [&](int id) {
            const Path* p = s.path(id);
            return p && !p->name.empty() ? QString::fromStdString(p->name) : tr("point %1").arg(id);
        };
        from->setText(f.level
                          ? (g.levelPaths.empty() ? tr("%1 points, found") : tr("%1 points")).arg(f.usedPaths.size())
                          : QString("–"));
        fit->setText(f.level && f.usedPaths.size() == 3 ? tr("exact, 3 points")
                     : f.level                          ? (f.metric ? tr("%1 mm RMS").arg(f.rms * 1000, 0, 'f', 1)
                                                                    : tr("%1 units RMS").arg(f.rms, 0, 'g', 3))
                                                        : QString("–"));
        origin->setText(g.originPath ? name(*g.originPath) : tr("middle of floor"));
        along->setText(g.zAlong ? tr("%1 → %2").arg(g.zAlong->from).arg(g.zAlong->to) : tr("first camera"));
        if (g.length) length->setValue(g.length->metres);
        between->setText(g.length ? tr("points %1, %2").arg(g.length->from).arg(g.length->to) : QString("–"));
        unit->setText(f.metric ? QString::number(f.worldFromSolve.scale, 'f', 5) : QString("–"));
        const auto pose = s.worldPose(document_.frame());
        position->setText(pose ? tr("%1, %2, %3 %4")
                                     .arg(pose->position.x(), 0, 'f', 3)
                                     .arg(pose->position.y(), 0, 'f', 3)
                                     .arg(pose->position.z(), 0, 'f', 3)
                                     .arg(QLatin1String(s.unit()))
                               : QString("–"));
        note->setText(!f.trouble.empty() ? QString::fromStdString(f.trouble)
                                         : tr("Select points in a view or in the table: three or more for the level, "
                                              "one for the origin, two for the Z axis or a length."));
    });
}

void Inspector::buildLayout(const QMap<QString, QAction*>& actions) {
    layoutPage_ = new LayoutPage(document_, actions);
    add(layoutPage_);
    refreshers_.push_back([this] { layoutPage_->refresh(); });
}

void Inspector::buildProof() {
    Page* page = addPage(tr("Proof"));
    QLabel* note = page->note();
    note->setText(
        tr("Things are drawn over the plate with the solved camera and lens. Look at the first frame, the last and "
           "those between: does it stick?"));
    refreshers_.push_back([] {});
}

void Inspector::buildExport() {
    Page* page = addPage(tr("Export"));
    page->caption(tr("Folder"));
    auto* folder = new QLineEdit;
    folder->setObjectName("exportFolder");
    folder->setAccessibleName(tr("Export folder"));
    page->insert(folder);
    QCheckBox* straight = page->check(tr("For the straightened plate"));
    straight->setObjectName("exportStraight");
    straight->setToolTip(tr("Size, field of view and principal point of the larger straight frame, without a bend"));
    auto* write = new QPushButton(tr("Write and verify"));
    write->setObjectName("exportButton");
    QStringList files;
    for (const ExportFormat* f : exportFormats()) files << QLatin1String(f->fileName);
    write->setToolTip(tr("Writes %1, reads them back and compares in px").arg(files.join(tr(", "))));
    page->insert(write);
    page->caption(tr("What the next program must show"));
    QLabel* size = page->read(tr("Size"), tr("px"));
    QLabel* rate = page->read(tr("Rate"), tr("fps"));
    QLabel* range = page->read(tr("Frames"));
    QLabel* unit = page->read(tr("Unit"));
    QLabel* report = page->note();
    report->setObjectName("exportReport");
    connect(write, &QPushButton::clicked, this, [=, this] {
        try {
            report->setText(document_.exportTo(folder->text(), straight->isChecked()).join("\n\n"));
        } catch (const Error& e) {
            Q_EMIT document_.troubled(QString::fromUtf8(e.what()));
        }
    });
    connect(straight, &QCheckBox::toggled, this, &Inspector::refresh);
    refreshers_.push_back([=, this] {
        const Shot& s = document_.shot();
        if (!folder->hasFocus() && !folder->isModified()) {
            const QString base = document_.fileName().isEmpty()
                                     ? QStandardPaths::writableLocation(QStandardPaths::DocumentsLocation)
                                     : QFileInfo(document_.fileName()).absolutePath();
            folder->setText(base + "/" + QString::fromStdString(s.name.empty() ? "shot" : s.name) + "-export");
        }
        write->setEnabled(s.solve->has());
        size->setText(s.hasPlate() ? tr("%1 × %2").arg(s.plate.width).arg(s.plate.height) : QString("–"));
        if (straight->isChecked() && s.solve->has()) {
            try {
                const StraightFrame f = straightFrame(s.solve->lens, s.plate.width, s.plate.height, Overscan::whole);
                size->setText(tr("%1 × %2").arg(f.width).arg(f.height));
            } catch (const Error&) {
                size->setText(tr("none"));
            }
        }
        rate->setText(
            s.hasPlate()
                ? tr("%1 (%2/%3)").arg(QString::fromStdString(s.rate().label())).arg(s.rate().num).arg(s.rate().den)
                : QString("–"));
        range->setText(s.solve->frames.empty()
                           ? QString("–")
                           : tr("%1–%2").arg(s.solve->frames.front().frame).arg(s.solve->frames.back().frame));
        unit->setText(s.ground->metric ? tr("metres") : tr("scene units"));
        if (s.exportedFrom == 0)
            report->setText(tr("Every file is read back and re-projected before it counts as written."));
        else if (stalenessOf(s).exported) report->setText(tr("The files were written before the last change."));
    });
}

}  // namespace va
