// SPDX-License-Identifier: GPL-3.0-or-later
#include "inspector/features_page.h"

#include <QFileDialog>
#include <QSlider>
#include <cmath>

#include "solve/report/outlier_words.h"
#include "track/flat_patch.h"

namespace va {

FeaturesPage::FeaturesPage(const PageContext& context)
    : Page(tr("Features")), document_(context.document), edits_(context.features) {
    const QMap<QString, QAction*>& actions = context.actions;
    buildTrack(actions);
    buildHand(actions);
    buildMasks(actions);
    buildPatches(actions);
    buildLook();
}

Page* FeaturesPage::section(const QString& title, Kind kind) {
    auto* page = new Page(title, kind);
    insertSection(page);
    return page;
}

void FeaturesPage::setCanvas(PlateCanvas* canvas) {
    canvas_ = canvas;
    connect(canvas_, &PlateCanvas::toolChanged, this, &FeaturesPage::refresh);
    connect(canvas_, &PlateCanvas::lookChanged, this, &FeaturesPage::refresh);
    connect(canvas_, &PlateCanvas::frameArrived, this, &FeaturesPage::refreshPatchPicture);
    refresh();
}

void FeaturesPage::refresh() {
    // Setting a field must not be taken for an edit.
    if (refreshing_) return;
    refreshing_ = true;
    const PlateTool tool = canvas_ ? canvas_->tool() : PlateTool::select;
    const Path* p = edits_.current();
    track_->setVisible(tool != PlateTool::mask && tool != PlateTool::patch && tool != PlateTool::hand);
    hand_->setVisible(tool == PlateTool::hand || (p && p->origin == PathOrigin::byHand && tool == PlateTool::select));
    masks_->setVisible(tool == PlateTool::mask);
    patches_->setVisible(tool == PlateTool::patch);
    for (const auto& r : refreshers_) r();
    refreshing_ = false;
}

void FeaturesPage::buildTrack(const QMap<QString, QAction*>& actions) {
    track_ = section(tr("Automatic"));
    QComboBox* density = track_->choice(tr("Density"), {tr("few"), tr("normal"), tr("many")});
    density->setObjectName("density");
    density->setToolTip(tr("120, 300 or 700 features in every frame"));
    QComboBox* care = track_->choice(tr("Care"), {tr("quick"), tr("careful")});
    care->setObjectName("care");
    care->setToolTip(
        tr("Careful searches farther, tracks backward too and is guided by the solve; it takes several "
           "times as long"));
    QCheckBox* undistorted = track_->check(tr("Track on the undistorted picture"));
    undistorted->setObjectName("trackUndistorted");
    undistorted->setToolTip(tr(
        "For strong distortion: features are tracked with the known lens taken out; paths stay places in the plate"));
    connect(undistorted, &QCheckBox::toggled, this, [=, this](bool on) {
        if (refreshing_) return;
        edits_.setTrackUndistorted(on);
        refresh();
    });
    track_->buttons({actions["track"], actions["guidedTrack"]});
    const auto set = [=, this] {
        if (!refreshing_) edits_.setTracking(Density(density->currentIndex()), Care(care->currentIndex()));
    };
    connect(density, &QComboBox::currentIndexChanged, this, set);
    connect(care, &QComboBox::currentIndexChanged, this, set);
    track_->caption(tr("Paths"));
    QLabel* used = track_->read(tr("In use"));
    QLabel* aside = track_->read(tr("Set aside"));
    QLabel* here = track_->read(tr("In this frame"));
    track_->caption(tr("Selection"));
    QLabel* count = track_->read(tr("Paths"));
    QLabel* frames = track_->read(tr("Frames"));
    QLabel* error = track_->read(tr("Residual"), tr("px"));
    QLabel* drift = track_->read(tr("Drift"), tr("px"));
    QLabel* why = track_->note();
    track_->buttons({actions["setAside"], actions["bringBack"]});
    refreshers_.push_back([=, this] {
        const Shot& s = document_.shot();
        density->setCurrentIndex(int(s.density));
        care->setCurrentIndex(int(s.care));
        undistorted->setChecked(s.trackUndistorted);
        int live = 0, off = 0, now = 0;
        for (const Path& p : *s.paths) {
            (p.setAside ? off : live)++;
            now += !p.setAside && p.at(document_.frame()) != nullptr;
        }
        used->setText(QString::number(live));
        aside->setText(QString::number(off));
        here->setText(QString::number(now));
        const auto& chosen = document_.selectedPaths();
        count->setText(QString::number(chosen.size()));
        const Path* one = chosen.size() == 1 ? s.path(*chosen.begin()) : nullptr;
        frames->setText(one ? tr("%1–%2").arg(one->frames().first).arg(one->frames().last) : QString("–"));
        drift->setText(one ? QString::number(double(one->drift()), 'f', 2) : QString("–"));
        error->setText("–");
        why->clear();
        if (!one) return;
        for (const SolvedPoint& p : s.solve->points)
            if (p.pathId == one->id) error->setText(QString::number(p.rmsPx, 'f', 2));
        QStringList words;
        if (one->evidence.varianceInflation > 2) words << tr("The patch may cover two surfaces.");
        if (one->evidence.anisotropy < 0.25f) words << tr("The feature may slide along an edge.");
        for (const SolveOutlier& o : s.solve->outliers)
            if (o.pathId == one->id && o.whole)
                words << tr("Not used: %1.").arg(QString::fromStdString(outlierWords(o.reason)));
        if (one->setAside) words << tr("Set aside: %1.").arg(QString::fromStdString(one->setAsideReason));
        why->setText(words.join(QLatin1Char(' ')));
    });
}

void FeaturesPage::buildHand(const QMap<QString, QAction*>& actions) {
    hand_ = section(tr("By hand"));
    auto* name = new QLineEdit;
    name->setObjectName("pathName");
    name->setFixedWidth(112);
    hand_->row(tr("Name"), name);
    NumberField* x = hand_->number(tr("x"), 2, tr("px"));
    NumberField* y = hand_->number(tr("y"), 2, tr("px"));
    x->setObjectName("handX");
    y->setObjectName("handY");
    QComboBox* model = hand_->choice(tr("Patch motion"), {tr("translation"), tr("similarity"), tr("affine")});
    model->setObjectName("motionModel");
    NumberField* patch = hand_->number(tr("Patch size"), 0, tr("px"));
    NumberField* search = hand_->number(tr("Search"), 0, tr("px"));
    patch->setObjectName("patchSize");
    search->setObjectName("searchSize");
    QLabel* keys = hand_->read(tr("Set by hand"));
    QLabel* quality = hand_->read(tr("Quality here"));
    hand_->buttons({actions["trackBackward"], actions["trackForward"]});
    hand_->buttons({actions["trackOneBack"], actions["trackOneForward"]});
    hand_->buttons({actions["newReference"], actions["reanchor"]});
    hand_->buttons({actions["carryAlong"]});
    QLabel* note = hand_->note();
    const auto change = [this](const QString& what, const std::function<void(Path&)>& f) {
        if (const Path* p = edits_.current(); p && !refreshing_) edits_.changePath(what, p->id, f);
    };
    connect(name, &QLineEdit::editingFinished, this, [=, this] {
        const Path* p = edits_.current();
        if (p && QString::fromStdString(p->name) != name->text())
            change(tr("Rename feature"), [&](Path& q) { q.name = name->text().toStdString(); });
    });
    const auto place = [=, this] {
        if (const Path* p = edits_.current(); p && p->at(document_.frame()))
            edits_.placeByHand(p->id, {x->value(), y->value()});
    };
    connect(x, &NumberField::edited, this, place);
    connect(y, &NumberField::edited, this, place);
    connect(model, &QComboBox::currentIndexChanged, this,
            [=](int i) { change(tr("Set motion model"), [i](Path& p) { p.model = MotionModel(i); }); });
    connect(patch, &NumberField::edited, this, [=](double v) {
        change(tr("Set patch size"), [v](Path& p) { p.radius = std::clamp(int(std::lround((v - 1) / 2)), 3, 40); });
    });
    connect(search, &NumberField::edited, this, [=](double v) {
        change(tr("Set search size"), [v](Path& p) { p.searchRadius = std::clamp(int(std::lround(v)), 2, 200); });
    });
    refreshers_.push_back([=, this] {
        const Path* p = edits_.current();
        const PathPoint* q = p ? p->at(document_.frame()) : nullptr;
        for (QWidget* w : std::initializer_list<QWidget*>{name, x, y, model, patch, search})
            w->setEnabled(p != nullptr);
        x->setEnabled(q != nullptr);
        y->setEnabled(q != nullptr);
        if (!name->hasFocus()) name->setText(p ? QString::fromStdString(p->name) : QString());
        x->setValue(q ? q->x : 0);
        y->setValue(q ? q->y : 0);
        model->setCurrentIndex(p ? int(p->model) : 2);
        const int radius = p && p->radius > 0 ? p->radius : defaultPatchRadius(document_.shot().plate.width);
        patch->setValue(2 * radius + 1);
        search->setValue(p && p->searchRadius > 0 ? p->searchRadius : 3 * radius);
        QStringList set;
        if (p)
            for (const PathPoint& k : p->points)
                if (k.origin == PointOrigin::byHand) set << QString::number(k.frame);
        keys->setText(set.size() > 3 ? tr("%1 frames").arg(set.size()) : set.isEmpty() ? tr("–") : set.join(", "));
        static const char* origins[] = {QT_TR_NOOP("tracked"), QT_TR_NOOP("by hand"), QT_TR_NOOP("carried along"),
                                        QT_TR_NOOP("found again")};
        quality->setText(q ? (q->origin == PointOrigin::tracked || q->origin == PointOrigin::foundAgain
                                  ? QString::number(double(q->quality), 'f', 3)
                                  : tr(origins[size_t(q->origin)]))
                           : tr("–"));
        note->setText(!p  ? tr("Press and drag in the picture to place a feature.")
                      : q ? QString()
                          : tr("No position in this frame. Set it here by clicking, or carry it along."));
    });
}

void FeaturesPage::buildMasks(const QMap<QString, QAction*>& actions) {
    masks_ = section(tr("Masks"));
    QComboBox* list = masks_->choice(tr("Mask"), {});
    list->setObjectName("maskList");
    auto* name = new QLineEdit;
    name->setFixedWidth(112);
    name->setObjectName("maskName");
    masks_->row(tr("Name"), name);
    QCheckBox* enabled = masks_->check(tr("In use"));
    QComboBox* mode = masks_->choice(tr("Features"), {tr("stay out"), tr("only inside")});
    mode->setObjectName("maskMode");
    QCheckBox* invert = masks_->check(tr("Invert"));
    invert->setObjectName("maskInvert");
    NumberField* grow = masks_->number(tr("Grow"), 1, tr("px"));
    NumberField* feather = masks_->number(tr("Feather"), 1, tr("px"));
    grow->setObjectName("maskGrow");
    feather->setObjectName("maskFeather");
    QComboBox* ride = masks_->choice(tr("Rides on"), {});
    ride->setObjectName("maskRide");
    QLabel* keys = masks_->read(tr("Keys"));
    masks_->buttons({actions["suggestMasks"], actions["removeMask"]});
    masks_->caption(tr("Matte files"));
    QLabel* file = masks_->read(tr("File"));
    masks_->buttons({actions["chooseMatte"], actions["clearMatte"]});
    NumberField* threshold = masks_->number(tr("From"), 0, tr("%"));
    QCheckBox* black = masks_->check(tr("Black keeps out"));
    NumberField* matteGrow = masks_->number(tr("Grow"), 1, tr("px"));
    NumberField* offset = masks_->number(tr("Frame offset"), 0, {});
    offset->setObjectName("matteOffset");
    masks_->buttons({actions["track"]});
    const auto change = [this](const QString& what, const std::function<void(MaskShape&)>& f) {
        if (!refreshing_ && document_.selectedMask() != 0) edits_.changeMask(what, document_.selectedMask(), f);
    };
    connect(list, &QComboBox::activated, this, [=, this](int i) { document_.selectMask(list->itemData(i).toInt()); });
    connect(name, &QLineEdit::editingFinished, this,
            [=] { change(tr("Rename mask"), [=](MaskShape& m) { m.name = name->text().toStdString(); }); });
    connect(enabled, &QCheckBox::toggled, this,
            [=](bool on) { change(tr("Use mask"), [=](MaskShape& m) { m.enabled = on; }); });
    connect(mode, &QComboBox::currentIndexChanged, this,
            [=](int i) { change(tr("Set mask"), [=](MaskShape& m) { m.exclude = i == 0; }); });
    connect(invert, &QCheckBox::toggled, this,
            [=](bool on) { change(tr("Invert mask"), [=](MaskShape& m) { m.invert = on; }); });
    connect(grow, &NumberField::edited, this,
            [=](double v) { change(tr("Grow mask"), [=](MaskShape& m) { m.grow = v; }); });
    connect(feather, &NumberField::edited, this,
            [=](double v) { change(tr("Feather mask"), [=](MaskShape& m) { m.feather = std::max(0.0, v); }); });
    connect(ride, &QComboBox::activated, this, [=](int i) {
        const QPoint what = ride->itemData(i).toPoint();
        change(tr("Let mask ride"), [=](MaskShape& m) { m.ride = MaskRide(what.x()), m.rideId = what.y(); });
    });
    const auto matte = [this](const std::function<void(Matte&)>& f) {
        if (!refreshing_) edits_.setMatte(tr("Set matte"), f);
    };
    connect(threshold, &NumberField::edited, this,
            [=](double v) { matte([=](Matte& m) { m.threshold = std::clamp(v / 100, 0.0, 1.0); }); });
    connect(black, &QCheckBox::toggled, this, [=](bool on) { matte([=](Matte& m) { m.invert = on; }); });
    connect(matteGrow, &NumberField::edited, this, [=](double v) { matte([=](Matte& m) { m.grow = v; }); });
    connect(offset, &NumberField::edited, this, [=](double v) { matte([=](Matte& m) { m.frameOffset = int(v); }); });
    refreshers_.push_back([=, this] {
        const Shot& s = document_.shot();
        const MaskShape* m = s.mask(document_.selectedMask());
        list->clear();
        list->addItem(s.exclusions.masks.empty() ? tr("none drawn") : tr("none"), 0);
        for (const MaskShape& o : s.exclusions.masks) list->addItem(QString::fromStdString(o.name), o.id);
        list->setCurrentIndex(std::max(0, list->findData(document_.selectedMask())));
        for (QWidget* w : std::initializer_list<QWidget*>{name, enabled, mode, invert, grow, feather, ride})
            w->setEnabled(m != nullptr);
        if (!name->hasFocus()) name->setText(m ? QString::fromStdString(m->name) : QString());
        enabled->setChecked(m && m->enabled);
        mode->setCurrentIndex(m && !m->exclude);
        invert->setChecked(m && m->invert);
        grow->setValue(m ? m->grow : 0);
        feather->setValue(m ? m->feather : 0);
        ride->clear();
        ride->addItem(tr("nothing"), QPoint(0, 0));
        for (const FlatPatch& p : s.patches)
            ride->addItem(QString::fromStdString(p.name), QPoint(int(MaskRide::patch), p.id));
        for (const Path& p : *s.paths)
            if (p.origin == PathOrigin::byHand)
                ride->addItem(QString::fromStdString(p.name), QPoint(int(MaskRide::path), p.id));
        ride->setCurrentIndex(m ? std::max(0, ride->findData(QPoint(int(m->ride), m->rideId))) : 0);
        keys->setText(m ? QString::number(m->keys.size()) : QString("–"));
        const Matte& t = s.exclusions.matte;
        file->setText(t.spec.empty() ? tr("none") : QString::fromStdString(t.spec).section('/', -1));
        threshold->setValue(t.threshold * 100);
        black->setChecked(t.invert);
        matteGrow->setValue(t.grow);
        offset->setValue(t.frameOffset);
        for (QWidget* w : std::initializer_list<QWidget*>{threshold, black, matteGrow, offset})
            w->setEnabled(!t.spec.empty());
    });
}

void FeaturesPage::buildPatches(const QMap<QString, QAction*>& actions) {
    patches_ = section(tr("Patch"));
    QComboBox* list = patches_->choice(tr("Patch"), {});
    list->setObjectName("patchList");
    auto* name = new QLineEdit;
    name->setFixedWidth(112);
    name->setObjectName("patchName");
    patches_->row(tr("Name"), name);
    rectified_ = new QLabel;
    rectified_->setObjectName("rectified");
    rectified_->setAccessibleName(tr("The patch seen straight on"));
    rectified_->setFixedHeight(132);
    rectified_->setToolTip(tr("Seen straight on: a patch that holds stands still here"));
    rectified_->setAlignment(Qt::AlignCenter);
    patches_->insert(rectified_);
    QLabel* reference = patches_->read(tr("Reference"));
    QLabel* frames = patches_->read(tr("Tracked"));
    QLabel* quality = patches_->read(tr("Quality here"));
    QLabel* visible = patches_->read(tr("Visible here"));
    patches_->buttons({actions["patchBackward"], actions["patchForward"], actions["patchBoth"]});
    patches_->buttons({actions["writePatch"], actions["removePatch"]});
    QLabel* note = patches_->note();
    connect(list, &QComboBox::activated, this, [=, this](int i) { document_.selectPatch(list->itemData(i).toInt()); });
    connect(name, &QLineEdit::editingFinished, this, [=, this] {
        const FlatPatch* p = document_.shot().patch(document_.selectedPatch());
        if (p && QString::fromStdString(p->name) != name->text())
            edits_.changePatch(tr("Rename patch"), p->id, [&](FlatPatch& q) { q.name = name->text().toStdString(); });
    });
    refreshers_.push_back([=, this] {
        const Shot& s = document_.shot();
        const FlatPatch* p = s.patch(document_.selectedPatch());
        list->clear();
        list->addItem(s.patches.empty() ? tr("none drawn") : tr("none"), 0);
        for (const FlatPatch& o : s.patches) list->addItem(QString::fromStdString(o.name), o.id);
        list->setCurrentIndex(std::max(0, list->findData(document_.selectedPatch())));
        name->setEnabled(p != nullptr);
        if (!name->hasFocus()) name->setText(p ? QString::fromStdString(p->name) : QString());
        reference->setText(p ? QString::number(p->referenceFrame) : tr("–"));
        frames->setText(p && !p->frames.empty() ? tr("%1–%2").arg(p->frames.front().frame).arg(p->frames.back().frame)
                                                : tr("–"));
        const PatchFrame* f = p ? p->at(document_.frame()) : nullptr;
        quality->setText(f ? QString::number(f->quality, 'f', 3) : tr("–"));
        visible->setText(f ? tr("%1 %").arg(std::lround(f->visible * 100)) : tr("–"));
        note->setText(p ? QString::fromStdString(p->trouble)
                        : tr("Drag a rectangle over something flat in the picture."));
        refreshPatchPicture();
    });
}

void FeaturesPage::refreshPatchPicture() {
    if (!patches_->isVisible()) return;
    const FlatPatch* p = document_.shot().patch(document_.selectedPatch());
    const auto corners = p ? p->cornersAt(document_.frame()) : std::nullopt;
    const auto picture =
        corners && canvas_ && canvas_->cache() ? canvas_->cache()->picture(document_.frame()) : nullptr;
    if (!picture) return rectified_->setPixmap(QPixmap());
    // As large as the room allows, in the shape that the reference frame shows.
    const double wide = 0.5 * ((p->corners[1] - p->corners[0]).norm() + (p->corners[2] - p->corners[3]).norm()),
                 high = 0.5 * ((p->corners[3] - p->corners[0]).norm() + (p->corners[2] - p->corners[1]).norm());
    const double scale = std::min(216 / std::max(1.0, wide), 128 / std::max(1.0, high));
    const DisplayPicture view = rectified(*picture, *corners, int(wide * scale), int(high * scale));
    // A pixmap may share the image's memory, which goes with `view`: copy.
    rectified_->setPixmap(QPixmap::fromImage(QImage(reinterpret_cast<const uchar*>(view.data.data()), view.width,
                                                    view.height, view.width * 4, QImage::Format_RGB32)
                                                 .copy()));
}

void FeaturesPage::buildLook() {
    Page* look = section(tr("How paths are shown"), Kind::section);
    auto* marks = new QSlider(Qt::Horizontal);
    marks->setObjectName("markSize");
    marks->setRange(15, 90);
    marks->setFixedWidth(112);
    look->row(tr("Marks"), marks);
    auto* tail = new QSlider(Qt::Horizontal);
    tail->setObjectName("tailLength");
    tail->setRange(0, 60);
    tail->setFixedWidth(112);
    look->row(tr("Tails"), tail);
    QCheckBox* aside = look->check(tr("Show what is set aside"));
    QCheckBox* centred = look->check(tr("Hold the selected path still"));
    centred->setObjectName("centred");
    centred->setToolTip(tr("Shifts the picture so that the path stays in the middle; wobble becomes visible"));
    const auto set = [=, this] {
        if (refreshing_ || !canvas_) return;
        PathLook l = canvas_->look();
        l.markSize = marks->value() / 10.0;
        l.tail = tail->value();
        l.asideShown = aside->isChecked();
        l.centred = centred->isChecked();
        canvas_->setLook(l);
    };
    connect(marks, &QSlider::valueChanged, this, set);
    connect(tail, &QSlider::valueChanged, this, set);
    connect(aside, &QCheckBox::toggled, this, set);
    connect(centred, &QCheckBox::toggled, this, set);
    refreshers_.push_back([=, this] {
        if (!canvas_) return;
        marks->setValue(int(canvas_->look().markSize * 10));
        tail->setValue(canvas_->look().tail);
        aside->setChecked(canvas_->look().asideShown);
        centred->setChecked(canvas_->look().centred);
    });
}

}  // namespace va
