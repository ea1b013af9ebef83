// SPDX-License-Identifier: GPL-3.0-or-later
#include "inspector/proof_page.h"

#include <QDate>
#include <QFileDialog>
#include <QFileInfo>
#include <QGridLayout>
#include <QStandardPaths>
#include <cmath>

#include "inspector/sky_thumb.h"
#include "media/colour_space.h"
#include "workflow/proof_work.h"

namespace va {

ProofPage::ProofPage(const PageContext& context)
    : Page(tr("Proof")),
      document_(context.document),
      features_(context.features),
      edits_(context.proof),
      live_(context.live) {
    buildView(context);
    buildSun(context);
    buildCatchers(context);
    buildSky(context);
    buildThing(context);
    buildFront();
    buildLook(context);
    buildPlace(context);
    buildOutput();
    connect(&live_, &ProofLive::changed, this, &ProofPage::refreshLive);
    connect(&edits_, &ProofEdits::changed, this, &ProofPage::refreshLive);
    connect(&document_, &Document::selectionChanged, this, &ProofPage::refresh);
}

void ProofPage::bind(NumberField* field, const ProofNumber& n) {
    field->setObjectName(QStringLiteral("proof%1").arg(QString(n.path).replace('/', '-')));
    connect(field, &NumberField::edited, this, [this, &n](double v) {
        edits_.setNumber(n, v);
        refresh();
    });
    refreshers_.emplace_back([this, field, &n] {
        ProofSpec spec = document_.shot().proof;
        field->setValue(n.of(spec));
    });
}

NumberField* ProofPage::setting(const char* path) {
    const ProofNumber& n = *proofNumber(path);
    NumberField* field = number(tr(n.label), n.decimals, tr(n.unit));
    bind(field, n);
    return field;
}

void ProofPage::colour(const QString& name, const char* red, const char* green, const char* blue) {
    auto* all = new QWidget;
    auto* line = new QHBoxLayout(all);
    line->setContentsMargins(0, 0, 0, 0);
    line->setSpacing(3);
    for (const char* path : {red, green, blue}) {
        const ProofNumber& n = *proofNumber(path);
        auto* field = new NumberField(2);
        bind(field, n);
        field->setAccessibleName(name + " " + tr(n.label).toLower());
        field->setToolTip(tr(n.label));
        field->setFixedWidth(40);
        line->addWidget(field);
    }
    row(name, all);
}

QCheckBox* ProofPage::toggle(const char* name, const QString& words, const std::function<bool&(ProofSpec&)>& of) {
    QCheckBox* box = check(words);
    box->setObjectName(QLatin1String(name));
    connect(box, &QCheckBox::toggled, this, [this, words, of](bool on) {
        if (!refreshing_) edits_.change(words, [&](ProofSpec& p) { of(p) = on; });
    });
    refreshers_.emplace_back([this, box, of] {
        ProofSpec spec = document_.shot().proof;
        box->setChecked(of(spec));
    });
    return box;
}

void ProofPage::buildView(const PageContext& context) {
    words_ = note();
    words_->setObjectName("proofWords");
    look_ = choice(tr("Show"), {tr("Proof"), tr("Plate"), tr("Wipe"), tr("Difference")});
    look_->setObjectName("proofLook");
    wipe_ = new QSlider(Qt::Horizontal);
    wipe_->setObjectName("proofWipe");
    wipe_->setAccessibleName(tr("Where the wipe stands"));
    wipe_->setRange(0, 1000);
    insert(wipe_);
    auto* jumps = new QWidget;
    auto* line = new QHBoxLayout(jumps);
    line->setContentsMargins(0, 0, 0, 0);
    for (const char* name : {"first", "middle", "last"}) {
        auto* button = new QPushButton(context.actions[QLatin1String(name)]->iconText());
        button->setToolTip(context.actions[QLatin1String(name)]->toolTip());
        connect(button, &QPushButton::clicked, context.actions[QLatin1String(name)], &QAction::trigger);
        button->setFixedHeight(22);
        line->addWidget(button);
    }
    insert(jumps);
    keep_ = new QPushButton;
    keep_->setObjectName("proofKeep");
    keep_->setToolTip(tr("Renders the work range into memory: playback then shows the proof at the plate's rate"));
    insert(keep_);
    connect(look_, &QComboBox::currentIndexChanged, this, [this](int i) {
        if (!refreshing_) live_.setLook(ProofLive::Look(i));
    });
    connect(wipe_, &QSlider::valueChanged, this, [this](int v) {
        if (!refreshing_) live_.setWipe(v / 1000.0);
    });
    connect(keep_, &QPushButton::clicked, this,
            [this] { live_.renderingRange() ? live_.stopRange() : live_.renderRange(); });
}

void ProofPage::buildSun(const PageContext& context) {
    caption(tr("Sun"));
    dial_ = new SunDial;
    auto* side = new QWidget;
    auto* column = new QVBoxLayout(side);
    column->setContentsMargins(0, 0, 0, 0);
    QCheckBox* shines = toggle("proofSunOn", tr("Shines"), [](ProofSpec& p) -> bool& { return p.sun.on; });
    sunNote_ = note();
    sunNote_->setObjectName("proofSunNote");
    column->addWidget(shines);
    column->addWidget(sunNote_);
    column->setSpacing(3);
    for (const char* name : {"postTool", "removePosts"}) {
        auto* button = new QPushButton(context.actions[QLatin1String(name)]->iconText());
        button->setToolTip(context.actions[QLatin1String(name)]->toolTip());
        connect(button, &QPushButton::clicked, context.actions[QLatin1String(name)], &QAction::trigger);
        column->addWidget(button);
    }
    column->addStretch(1);
    auto* line = new QWidget;
    auto* layout = new QHBoxLayout(line);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->addWidget(dial_);
    layout->addWidget(side, 1);
    insert(line);
    connect(dial_, &SunDial::held, this, [this](bool held) { edits_.holdSun(held); });
    connect(dial_, &SunDial::turned, this, [this](const Eigen::Vector3d& to) { edits_.setSun(to); });
    setting("/sun/strength");
}

void ProofPage::buildSky(const PageContext& context) {
    caption(tr("Sky and colours"), Fold::closed);
    colour(tr("Sun"), "/sun/red", "/sun/green", "/sun/blue");
    setting("/sun/diameter")->setToolTip(tr("Of the sun: the larger, the softer shadows are"));
    toggle("proofSkyOn", tr("Shines"), [](ProofSpec& p) -> bool& { return p.sky.on; });
    setting("/sky/strength");
    colour(tr("Sky"), "/sky/red", "/sky/green", "/sky/blue");
    auto* file = new QPushButton;
    file->setObjectName("proofSkyPicture");
    file->setToolTip(
        tr("A picture of all directions, twice as wide as high; it lights the things and shows in mirrors"));
    insert(file);
    setting("/sky/turn");
    auto* thumb = new SkyThumb;
    insert(thumb);
    connect(thumb, &SkyThumb::marked, this, [this](const Eigen::Vector2d& spot) { edits_.markSkySpot(spot); });
    const auto showThumb = [this, thumb] { thumb->show(document_.shot().proof.sky.picture, edits_.skySpot()); };
    connect(&edits_, &ProofEdits::changed, thumb, showThumb);
    refreshers_.emplace_back(showThumb);
    buttons({context.actions["skyToSun"], context.actions["skySpotTool"]});
    buttons({context.actions["greyTool"]});
    connect(file, &QPushButton::clicked, this, [this] {
        if (!document_.shot().proof.sky.picture.empty())
            return edits_.change(tr("Remove sky picture"), [](ProofSpec& p) { p.sky.picture.clear(); });
        const QString name = QFileDialog::getOpenFileName(
            this, tr("Sky picture"), {}, tr("Pictures (*.exr *.hdr *.png *.jpg *.tif);;All files (*)"));
        if (!name.isEmpty())
            edits_.change(tr("Set sky picture"), [&](ProofSpec& p) { p.sky.picture = name.toStdString(); });
    });
    refreshers_.emplace_back([this, file] {
        const std::string& picture = document_.shot().proof.sky.picture;
        file->setText(picture.empty() ? tr("Sky picture …")
                                      : tr("Remove %1").arg(QFileInfo(QString::fromStdString(picture)).fileName()));
    });
}

void ProofPage::buildCatchers(const PageContext& context) {
    caption(tr("Ground"));
    toggle("proofGround", tr("Catches shadow"), [](ProofSpec& p) -> bool& { return p.ground; });
    shadowNote_ = note();
    shadowNote_->setObjectName("proofShadowNote");
    buttons({context.actions["shadowTool"], context.actions["removeShadow"]});
    caption(tr("Mirror"), Fold::closed);
    setting("/ground/mirror");
    setting("/ground/roughness");
    setting("/ground/fade");
    setting("/ground/ripple");
    setting("/ground/ripple_size");
}

void ProofPage::buildThing(const PageContext& context) {
    caption(tr("Selected thing"), Fold::closed);
    QComboBox* part = choice(tr("Is"), {tr("shown"), tr("a catcher"), tr("a stand-in"), tr("left out"), tr("a pane")});
    part->setObjectName("proofPart");
    part->setToolTip(
        tr("A catcher receives shadow and reflection without being seen; a stand-in hides what lies behind "
           "it; a pane shifts it, as glass does, by how light its picture is"));
    NumberField* rough = number(tr("Roughness"), 2, {});
    rough->setObjectName("proofRoughness");
    NumberField* metal = number(tr("Metalness"), 2, {});
    metal->setObjectName("proofMetalness");
    NumberField* glow = number(tr("Glow"), 2, {});
    glow->setObjectName("proofGlow");
    NumberField* mirror = number(tr("Mirror"), 2, {});
    mirror->setObjectName("proofThingMirror");
    NumberField* edge = number(tr("Soft border"), 3, tr("units"));
    edge->setObjectName("proofThingEdge");
    edge->setToolTip(tr("Width over which a catcher fades to its border, where the real surface ends"));
    NumberField* shift = number(tr("Shift"), 1, tr("px"));
    shift->setObjectName("proofThingShift");
    shift->setToolTip(tr("Of a pane: for a slope from black to white over a tenth of its width"));
    buttons({context.actions["chromeBall"], context.actions["greyBall"]});
    buttons({context.actions["aimLight"]});
    connect(part, &QComboBox::activated, this, [this](int i) { edits_.setPart(ProofPart(i)); });
    const auto value = [this](NumberField* field, const QString& name, double low, double high,
                              const std::function<void(ProofRole&, double)>& set) {
        connect(field, &NumberField::edited, this, [this, name, low, high, set](double v) {
            const int id = document_.selectedThing();
            if (id == 0) return;
            if (v < low || v > high)
                Q_EMIT document_.troubled(tr("%1 must be between %2 and %3.").arg(name).arg(low).arg(high));
            else edits_.change(name, [&](ProofSpec& p) { set(p.roleOf(id), v); });
            refresh();
        });
    };
    value(rough, tr("Roughness"), 0, 1, [](ProofRole& r, double v) { r.roughness = v; });
    value(metal, tr("Metalness"), 0, 1, [](ProofRole& r, double v) { r.metalness = v; });
    value(glow, tr("Glow"), 0, 1e4, [](ProofRole& r, double v) { r.glow = v; });
    value(mirror, tr("Mirror"), 0, 1, [](ProofRole& r, double v) { r.catches.mirror = v; });
    value(edge, tr("Soft border"), 0, 1e6, [](ProofRole& r, double v) { r.catches.edge = v; });
    value(shift, tr("Shift"), -1e4, 1e4, [](ProofRole& r, double v) { r.shift = v; });
    refreshers_.emplace_back([=, this] {
        const Thing* t = document_.shot().thing(document_.selectedThing());
        const ProofRole plain, *own = t ? document_.shot().proof.role(t->id) : nullptr, &role = own ? *own : plain;
        for (QWidget* w : std::initializer_list<QWidget*>{part, rough, metal, glow}) w->setEnabled(t != nullptr);
        for (QWidget* w : {mirror, edge}) w->setEnabled(t && role.part == ProofPart::catcher);
        shift->setEnabled(t && role.part == ProofPart::pane);
        part->setCurrentIndex(int(role.part));
        rough->setValue(role.roughness.value_or(1));
        metal->setValue(role.metalness.value_or(0));
        glow->setValue(role.glow);
        mirror->setValue(role.catches.mirror);
        edge->setValue(role.catches.edge);
        shift->setValue(role.shift);
    });
}

void ProofPage::buildFront() {
    caption(tr("In front"), Fold::closed);
    auto* list = new QListWidget;
    list->setObjectName("proofMasks");
    list->setAccessibleName(tr("Masks before the things"));
    list->setFixedHeight(58);
    insert(list);
    QLabel* hint = note();
    hint->setText(tr("Masks drawn in this step (M) hide the things: the plate lies in front there."));
    QCheckBox* invert = check(tr("Around the shape"));
    NumberField* grow = number(tr("Grow"), 1, tr("px"));
    grow->setObjectName("proofMaskGrow");
    NumberField* feather = number(tr("Feather"), 1, tr("px"));
    feather->setObjectName("proofMaskFeather");
    const auto change = [this](const QString& name, const std::function<void(MaskShape&)>& how) {
        if (!refreshing_) features_.changeMask(name, document_.selectedMask(), how);
    };
    connect(list, &QListWidget::currentRowChanged, this, [this, list](int row) {
        if (!refreshing_ && row >= 0) document_.selectMask(list->item(row)->data(Qt::UserRole).toInt());
    });
    connect(invert, &QCheckBox::toggled, this,
            [=](bool on) { change(tr("Invert mask"), [=](MaskShape& m) { m.invert = on; }); });
    connect(grow, &NumberField::edited, this,
            [=](double v) { change(tr("Grow mask"), [=](MaskShape& m) { m.grow = v; }); });
    connect(feather, &NumberField::edited, this,
            [=](double v) { change(tr("Feather mask"), [=](MaskShape& m) { m.feather = std::max(0.0, v); }); });
    auto* matte = new QPushButton;
    matte->setObjectName("proofMatte");
    matte->setToolTip(tr("Black-and-white pictures of the plate's size: white lies in front"));
    insert(matte);
    connect(matte, &QPushButton::clicked, this, [this] {
        if (!document_.shot().proof.front.matte.spec.empty())
            return edits_.change(tr("Remove matte"), [](ProofSpec& p) { p.front.matte = {}; });
        const QString name = QFileDialog::getOpenFileName(this, tr("Matte in front"));
        if (!name.isEmpty())
            edits_.change(tr("Set matte"), [&](ProofSpec& p) { p.front.matte.spec = name.toStdString(); });
    });
    refreshers_.emplace_back([this, matte] {
        const std::string& spec = document_.shot().proof.front.matte.spec;
        matte->setText(spec.empty() ? tr("Matte file …")
                                    : tr("Remove %1").arg(QFileInfo(QString::fromStdString(spec)).fileName()));
    });
    toggle("proofKeyOn", tr("A range of the plate lies in front"),
           [](ProofSpec& p) -> bool& { return p.front.key.on; });
    QComboBox* by = choice(tr("By"), {tr("brightness"), tr("hue")});
    by->setObjectName("proofKeyBy");
    connect(by, &QComboBox::activated, this, [this](int i) {
        edits_.change(tr("Set key"), [i](ProofSpec& p) {
            p.front.key.by = PlateKey::By(i);
            p.front.key.low = i == 0 ? 0.8 : 190, p.front.key.high = i == 0 ? 1 : 250;
            p.front.key.softness = i == 0 ? 0.05 : 10;
        });
    });
    setting("/key/low");
    setting("/key/high");
    setting("/key/softness");
    toggle("proofKeyInvert", tr("All but that range"), [](ProofSpec& p) -> bool& { return p.front.key.invert; });
    refreshers_.emplace_back([=, this] {
        const Shot& s = document_.shot();
        list->clear();
        for (const MaskShape& m : s.proof.front.masks) {
            auto* item = new QListWidgetItem(QString::fromStdString(m.name), list);
            item->setData(Qt::UserRole, m.id);
            if (m.id == document_.selectedMask()) list->setCurrentItem(item);
        }
        const auto& masks = s.proof.front.masks;
        const auto m = std::find_if(masks.begin(), masks.end(),
                                    [&](const MaskShape& x) { return x.id == document_.selectedMask(); });
        for (QWidget* w : std::initializer_list<QWidget*>{invert, grow, feather}) w->setEnabled(m != masks.end());
        invert->setChecked(m != masks.end() && m->invert);
        grow->setValue(m != masks.end() ? m->grow : 0);
        feather->setValue(m != masks.end() ? m->feather : 0);
        by->setCurrentIndex(int(s.proof.front.key.by));
    });
}

void ProofPage::buildLook(const PageContext& context) {
    caption(tr("Look"), Fold::closed);
    toggle("proofMotionBlur", tr("Motion blur"), [](ProofSpec& p) -> bool& { return p.look.motionBlur; });
    setting("/look/shutter")->setToolTip(tr("Share of a frame's time; 0 = as the solve found it, else half"));
    setting("/look/blur")->setToolTip(tr("Sigma of the plate's blur; −1 = as measured at its edges"));
    setting("/look/grain");
    setting("/look/gain");
    setting("/look/lift");
    setting("/look/gamma");
    setting("/look/saturation");
    colour(tr("Tint"), "/look/red", "/look/green", "/look/blue");
    caption(tr("Focus, haze, colour fringe"), Fold::closed);
    setting("/look/f_number")->setToolTip(tr("0 = all is in focus; a scale has to be set"));
    setting("/look/focus_distance");
    setting("/look/haze")->setToolTip(tr("Distance in which half of a thing's colour is gone; 0 = none"));
    colour(tr("Haze"), "/look/haze_red", "/look/haze_green", "/look/haze_blue");
    buttons({context.actions["hazeTool"]});
    for (const char* path : {"/look/fringe_red", "/look/fringe_blue"})
        setting(path)->setToolTip(tr("Px further out than green at the plate's corners, as the lens shows it"));
}

void ProofPage::buildPlace(const PageContext& context) {
    caption(tr("Place and time"), Fold::closed);
    struct Entry {
        const char* label;
        const char* unit;
        int decimals;
        double PlaceAndTime::*member;
    };
    static constexpr Entry entries[] = {{QT_TR_NOOP("Latitude"), "° N", 5, &PlaceAndTime::latitude},
                                        {QT_TR_NOOP("Longitude"), "° E", 5, &PlaceAndTime::longitude},
                                        {QT_TR_NOOP("Time"), "h", 3, &PlaceAndTime::hours},
                                        {QT_TR_NOOP("Zone"), "h", 2, &PlaceAndTime::zone}};
    auto* date = new QLineEdit;
    date->setObjectName("proofDate");
    date->setFixedWidth(96);
    date->setToolTip(tr("Year-month-day"));
    row(tr("Date"), date);
    connect(date, &QLineEdit::editingFinished, this, [this, date] {
        const QDate d = QDate::fromString(date->text(), Qt::ISODate);
        if (!d.isValid()) {
            if (date->isModified()) Q_EMIT document_.troubled(tr("There is no such date. Write 2026-06-21."));
            return refresh();
        }
        edits_.change(tr("Set date"), [&](ProofSpec& p) {
            PlaceAndTime at = p.place.value_or(PlaceAndTime());
            at.year = d.year(), at.month = d.month(), at.day = d.day();
            p.place = at;
        });
    });
    for (const Entry& e : entries) {
        NumberField* field = number(tr(e.label), e.decimals, tr(e.unit));
        field->setObjectName(QStringLiteral("proofPlace%1").arg(QLatin1String(e.label)));
        connect(field, &NumberField::edited, this, [this, &e](double v) {
            edits_.change(tr("Set %1").arg(tr(e.label).toLower()), [&](ProofSpec& p) {
                PlaceAndTime at = p.place.value_or(PlaceAndTime());
                at.*e.member = v;
                p.place = at;
            });
        });
        refreshers_.emplace_back(
            [this, field, &e] { field->setValue(document_.shot().proof.place.value_or(PlaceAndTime()).*e.member); });
    }
    refreshers_.emplace_back([this, date] {
        const PlaceAndTime at = document_.shot().proof.place.value_or(PlaceAndTime());
        if (!date->hasFocus()) date->setText(QDate(at.year, at.month, at.day).toString(Qt::ISODate));
    });
    setting("/north")->setToolTip(tr("From the world's −Z towards +X"));
    buttons({context.actions["sunFromPlace"], context.actions["northFromSun"]});
}

void ProofPage::buildOutput() {
    constexpr int firstExr = 5;  // in the list of what a proof is written as
    caption(tr("Write"), Fold::closed);
    QComboBox* kind = choice(tr("As"), {tr("movie, H.264"), tr("movie, H.265"), tr("movie, ProRes"), tr("movie, FFV1"),
                                        tr("PNG stills"), tr("EXR stills"), tr("EXR, insert alone")});
    kind->setObjectName("proofKind");
    to_ = new QLineEdit;
    to_->setObjectName("proofTo");
    to_->setAccessibleName(tr("Where the proof is written"));
    insert(to_);
    NumberField* samples = number(tr("Samples"), 0, tr("a pixel"));
    samples->setObjectName("proofSamples");
    connect(samples, &NumberField::edited, this, [this](double v) {
        if (v < 1 || v > 65536) Q_EMIT document_.troubled(tr("Samples must be between 1 and 65536."));
        else edits_.change(tr("Set samples"), [&](ProofSpec& p) { p.samples = int(v); });
        refresh();
    });
    QStringList spaces{tr("the plate's own values")};
    for (const LightSpace& space : lightSpaces()) spaces << tr(space.label);
    QComboBox* colours = choice(tr("Colours"), spaces);
    colours->setObjectName("proofColours");
    QCheckBox* passes = check(tr("All passes in the EXR"));
    passes->setObjectName("proofPasses");
    write_ = new QPushButton;
    write_->setObjectName("proofWrite");
    insert(write_);
    report_ = note();
    report_->setObjectName("proofReport");
    connect(write_, &QPushButton::clicked, this, [this, kind, passes, colours] {
        if (edits_.running()) return edits_.cancel();
        static const char* endings[] = {".mp4", ".h265.mp4", ".mov", ".mkv", "", "", ""};
        ProofOutput o;
        o.to = std::filesystem::path((to_->text() + endings[kind->currentIndex()]).toStdString());
        o.range = document_.shot().range;
        o.ending = kind->currentIndex() >= firstExr ? "exr" : "png";
        o.insertOnly = kind->currentIndex() == firstExr + 1;
        if (passes->isChecked() && kind->currentIndex() >= firstExr) o.passes = proofPassWords();
        if (kind->currentIndex() >= firstExr && colours->currentIndex() > 0)
            o.colour = lightSpaces()[size_t(colours->currentIndex() - 1)].word;
        edits_.renderTo(o);
    });
    refreshers_.emplace_back([this, samples, passes, kind, colours] {
        samples->setValue(document_.shot().proof.samples);
        for (QWidget* w : std::initializer_list<QWidget*>{passes, colours})
            w->setEnabled(kind->currentIndex() >= firstExr);
    });
    connect(kind, &QComboBox::currentIndexChanged, this, [passes, colours](int i) {
        passes->setEnabled(i >= firstExr);
        colours->setEnabled(i >= firstExr);
    });
}

void ProofPage::refreshLive() {
    words_->setText(live_.words());
    keep_->setText(live_.renderingRange()   ? tr("Stop (%1 frames in memory)").arg(live_.framesKept())
                   : live_.framesKept() > 1 ? tr("Render the range (%1 frames in memory)").arg(live_.framesKept())
                                            : tr("Render the range into memory"));
    refreshing_ = true;
    look_->setCurrentIndex(int(live_.look()));
    wipe_->setVisible(live_.look() == ProofLive::Look::wipe);
    wipe_->setValue(int(live_.wipe() * 1000));
    refreshing_ = false;
    const Progress::State s = edits_.state();
    write_->setText(!edits_.running() ? tr("Write the proof")
                    : s.secondsLeft >= 0
                        ? tr("Stop (%1 %, %2 s left)").arg(int(100 * s.fraction)).arg(int(s.secondsLeft))
                        : tr("Stop (%1 %)").arg(int(100 * s.fraction)));
    report_->setText(edits_.lastReport());
    report_->setVisible(!edits_.lastReport().isEmpty());
}

void ProofPage::refresh() {
    refreshing_ = true;
    for (const auto& r : refreshers_) r();
    const Shot& s = document_.shot();
    const ProofSpec& p = s.proof;
    std::optional<Eigen::Vector3d> looks;
    double half = 0.5;
    if (const auto camera = s.cameraAt(document_.frame())) {
        looks = camera->pose().worldFromCamera * Eigen::Vector3d(0, 0, -1);
        half = std::atan(s.plate.width / 2.0 / camera->lens().focalPx);
    }
    dial_->show(p.sun.toSun, p.sun.sigmaDegrees, p.sun.on, looks, half);
    const double high = std::asin(std::clamp(p.sun.toSun.y(), -1.0, 1.0)) * 180 / M_PI;
    sunNote_->setText(p.sun.sigmaDegrees >= 0 ? tr("%1° high ± %2°, by %n post(s)", nullptr, int(p.posts.size()))
                                                    .arg(high, 0, 'f', 1)
                                                    .arg(p.sun.sigmaDegrees, 0, 'f', 2)
                                              : tr("%1° high, by hand").arg(high, 0, 'f', 1));
    shadowNote_->setText(p.shadow ? tr("Shadow leaves %1 % of the light, as measured in frame %2.")
                                        .arg(100 * p.shadow->left.mean(), 0, 'f', 0)
                                        .arg(p.shadow->frame)
                                  : tr("Its depth follows from sun and sky."));
    if (!to_->hasFocus() && !to_->isModified()) {
        const QString base = document_.fileName().isEmpty()
                                 ? QStandardPaths::writableLocation(QStandardPaths::DocumentsLocation)
                                 : QFileInfo(document_.fileName()).absolutePath();
        to_->setText(base + "/" + QString::fromStdString(s.name.empty() ? "shot" : s.name) + "-proof");
    }
    refreshing_ = false;
    refreshLive();
}

}  // namespace va
