// SPDX-License-Identifier: GPL-3.0-or-later
#include "inspector/solve_page.h"

#include <QSignalBlocker>
#include <algorithm>

#include "lens/film_back.h"
#include "style/theme.h"
#include "workflow/mover_work.h"

namespace va {

SolvePage::SolvePage(const PageContext& context)
    : Page(tr("Solve")), document_(context.document), edits_(context.solve), slip_(context.slip) {
    const QMap<QString, QAction*>& actions = context.actions;
    buildNumbers(actions);
    insertSection(refine_ = new RefineSection(document_, actions));
    buildCamera(actions["liveSolve"]);
    insertSection(checks_ = new CheckSection(document_, edits_, actions));
    insertSection(path_ = new PathSection(document_, actions));
    insertSection(photo_ = new PhotoSection(document_, context.photo, actions));
    insertSection(stills_ = new StillsSection(document_, context.stills, actions));
    buildMovers(actions);
    connect(&slip_, &SlipWatch::changed, this, &SolvePage::refresh);
}

void SolvePage::buildNumbers(const QMap<QString, QAction*>& actions) {
    buttons({actions["solve"], actions["residualVectors"], actions["slipOverlay"]});
    check_ = read(tr("Check error"), tr("px"));
    check_->setObjectName("checkError");
    check_->setFont(titleFont());
    fit_ = read(tr("Fit error"), tr("px"));
    here_ = read(tr("This frame"), tr("px"));
    slipOver_ = read(tr("Expected slip"), tr("px"));
    slipOver_->setObjectName("slipOver");
    slipOver_->setToolTip(
        tr("Expected slip of a thing among the solved points against the plate, over the work range; near: at half the "
           "distance of the nearest features"));
    focal_ = read(tr("Focal length"), tr("px"));
    focal_->setObjectName("solvedFocal");
    motion_ = read(tr("Move"), QStringLiteral(" "));
    frames_ = read(tr("Frames solved"), QStringLiteral(" "));
    points_ = read(tr("Points"), QStringLiteral(" "));
    points_->setObjectName("solvedPoints");
}

void SolvePage::buildCamera(QAction* liveSolve) {
    caption(tr("Camera and rolling shutter"), Fold::closed);
    move_ = choice(tr("Move"), {tr("automatic"), tr("free"), tr("nodal pan"), tr("locked off")});
    move_->setObjectName("moveChoice");
    zoom_ = choice(tr("Zoom"), {tr("automatic"), tr("constant"), tr("zooms")});
    zoom_->setObjectName("zoomChoice");
    rows_ = choice(tr("Shutter"), {tr("automatic"), tr("global"), tr("rolling, known"), tr("rolling, solved")});
    rows_->setObjectName("rowsChoice");
    rows_->setToolTip(tr("Rolling shutter: the sensor's rows are read one after the other"));
    readout_ = number(tr("Read-out time"), 2, tr("ms"));
    readout_->setObjectName("readout");
    readout_->setToolTip(tr("From the first row's reading to the last one's"));
    auto* live = check(tr("Solve again after edits"));
    live->setObjectName("liveSolve");
    live->setToolTip(liveSolve->toolTip());
    live->setChecked(liveSolve->isChecked());
    connect(live, &QCheckBox::toggled, liveSolve, &QAction::setChecked);
    connect(liveSolve, &QAction::toggled, live, &QCheckBox::setChecked);
    note_ = note();
    const auto choose = [this] {
        edits_.setChoices(
            {MoveChoice(move_->currentIndex()), ZoomChoice(zoom_->currentIndex()), document_.shot().choices.thing});
    };
    connect(move_, &QComboBox::activated, this, choose);
    connect(zoom_, &QComboBox::activated, this, choose);
    const auto perFrameMs = [this] { return 1000 / std::max(1e-9, document_.shot().rate().value()); };
    connect(rows_, &QComboBox::activated, this, [this](int rows) {
        const double had = document_.shot().solve->readout;
        // What was solved is the best guess at what may be known.
        const Known known = rows == 0 ? Known::unknown : rows == 3 ? Known::start : Known::known;
        edits_.setReadout(known, rows == 2 ? (had != 0 ? had : 0.5) : 0);
    });
    connect(readout_, &NumberField::edited, this,
            [this, perFrameMs](double ms) { edits_.setReadout(Known::known, ms / perFrameMs()); });
}

void SolvePage::buildMovers(const QMap<QString, QAction*>& actions) {
    caption(tr("Movers"), Fold::closed);
    buttons({actions["makeMover"], actions["lookForMovers"]});
    movers_ = choice(tr("Mover"), {});
    movers_->setObjectName("movers");
    scaleBy_ = choice(tr("Size from"), {tr("the ground"), tr("a distance"), tr("by hand")});
    metres_ = number(tr("Distance"), 3, tr("m"));
    metres_->setToolTip(tr("Between the two selected features of the mover"));
    size_ = number(tr("Size"), 4, {});
    size_->setObjectName("scaleSize");
    metres_->setObjectName("moverDistance");
    buttons({actions["selectMover"], actions["swapScene"], actions["removeMover"]});
    moverNote_ = note();
    moverNote_->setObjectName("moverNote");
    connect(movers_, &QComboBox::activated, this, &SolvePage::refreshMovers);
    connect(scaleBy_, &QComboBox::activated, this, [this](int by) {
        if (const Mover* m = mover())
            edits_.changeMover(tr("Choose the mover's size"), m->id, [by](Mover& o) { o.scaleBy = MoverScale(by); });
    });
    connect(metres_, &NumberField::edited, this, [this](double v) {
        const Mover* m = mover();
        QList<int> two;
        for (const SolvedPoint& p : m ? m->solve->points : std::vector<SolvedPoint>())
            if (document_.selectedPaths().contains(p.pathId)) two << p.pathId;
        const bool known = m && m->from != 0;
        if (!m || !(v > 0) || (two.size() != 2 && !known))
            return Q_EMIT document_.troubled(
                tr("Select two features of the mover first: the distance is between them."));
        edits_.changeMover(tr("Set the mover's size"), m->id, [&](Mover& o) {
            if (two.size() == 2) o.from = two[0], o.to = two[1];
            o.metres = v;
            o.scaleBy = MoverScale::distance;
        });
    });
    connect(size_, &NumberField::edited, this, [this](double v) {
        if (const Mover* m = mover(); m && v > 0)
            edits_.changeMover(tr("Set the mover's size"), m->id,
                               [v](Mover& o) { o.size = v, o.scaleBy = MoverScale::given; });
    });
}

const Mover* SolvePage::mover() const { return document_.shot().mover(movers_->currentData().toInt()); }

void SolvePage::refresh() {
    const Shot& s = document_.shot();
    const SolveResult& r = *s.solve;
    const bool has = r.has();
    const QString none = QStringLiteral("–");
    const auto px = [&](double v) { return v >= 0 ? QString::number(v, 'f', 3) : none; };
    fit_->setText(has ? px(r.rmsPx) : none);
    check_->setText(px(r.checkRmsPx));
    const SolvedFrame* f = r.at(document_.frame());
    here_->setText(f && f->solved ? px(f->rmsPx) : none);
    const auto found = slip_.found();
    slipOver_->setText(!found              ? none
                       : found->nearPx > 0 ? tr("%1, near %2").arg(px(found->overPointsPx), px(found->nearPx))
                                           : px(found->overPointsPx));
    static const char* words[] = {QT_TR_NOOP("–"), QT_TR_NOOP("free"), QT_TR_NOOP("nodal pan"),
                                  QT_TR_NOOP("locked off"), QT_TR_NOOP("photo")};
    const double perFrameMs = 1000 / std::max(1e-9, s.rate().value());
    const bool rowsFound = r.readout != 0 && s.priors.readoutKnown == Known::unknown;
    motion_->setText(tr(words[int(r.motion)]) + (r.zooms ? tr(", zooms") : QString()) +
                     (rowsFound ? tr(", rolling %1 ms").arg(r.readout * perFrameMs, 0, 'f', 1) : QString()));
    const double focal = f && f->solved ? r.intrinsics(f->frame).focalPx : r.lens.focalPx;
    QString sure;
    // One focal length for all frames is stated as the lens is; those of a zoom each for itself.
    const auto stated = std::find_if(r.lensNumbers.begin(), r.lensNumbers.end(),
                                     [](const LensNumber& n) { return n.name == "focal" && n.sigma > 0; });
    if (!r.zooms && stated != r.lensNumbers.end()) sure = tr(" ± %1").arg(stated->sigma, 0, 'f', 2);
    else if (found && found->field.focalSigma() > 0)
        sure = tr(" ± %1").arg(focal * found->field.focalSigma(), 0, 'f', 2);
    focal_->setText(r.hasLens() ? QString::number(focal, 'f', 2) + sure : none);
    frames_->setText(has ? tr("%1 of %2").arg(r.solvedCount()).arg(r.frames.size()) : none);
    const auto rejected = std::count_if(r.outliers.begin(), r.outliers.end(), [](const auto& o) { return o.whole; });
    points_->setText(rejected > 0 ? tr("%1, %2 rejected").arg(r.points.size()).arg(rejected)
                                  : QString::number(r.points.size()));
    frames_->setToolTip(has ? tr("Solved in %1 s").arg(r.solveSeconds, 0, 'f', 1) : QString());
    note_->setText(r.checkPaths > 0
                       ? tr("The check error comes from %1 paths that were held back from the solve.").arg(r.checkPaths)
                       : QString());
    move_->setCurrentIndex(int(s.choices.move));
    zoom_->setCurrentIndex(int(s.choices.zoom));
    const Known rows = s.priors.readoutKnown;
    rows_->setCurrentIndex(rows == Known::unknown ? 0 : rows == Known::start ? 3 : s.priors.readout != 0 ? 2 : 1);
    readout_->setEnabled(rows != Known::start);
    readout_->setValue((rows == Known::known ? s.priors.readout : r.readout) * perFrameMs);
    refine_->refresh();
    checks_->refresh();
    photo_->refresh();
    stills_->refresh();
    path_->refresh();
    refreshMovers();
}

void SolvePage::refreshMovers() {
    const Shot& s = document_.shot();
    const int shown = movers_->currentData().toInt();
    {
        const QSignalBlocker quiet(movers_);
        movers_->clear();
        for (const Mover& m : s.movers) movers_->addItem(QString::fromStdString(m.name), m.id);
        movers_->setCurrentIndex(std::max(0, movers_->findData(shown)));
    }
    const Mover* m = mover();
    movers_->setEnabled(m);
    scaleBy_->setEnabled(m);
    metres_->setEnabled(m);
    size_->setEnabled(m);
    scaleBy_->setCurrentIndex(m ? int(m->scaleBy) : 0);
    metres_->setValue(m ? m->metres : 0);
    size_->setValue(m ? moverScale(s, *m) : 1);
    moverNote_->setText(m ? QString::fromStdString(moverVerdict(s, *m))
                          : tr("Select features on a moving thing and press Make, or press Look for."));
}

}  // namespace va
