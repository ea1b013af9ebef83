// SPDX-License-Identifier: GPL-3.0-or-later
#include "document/document.h"

#include <QCoreApplication>
#include <QDateTime>
#include <QDir>
#include <QFile>
#include <QFileInfo>
#include <QStandardPaths>
#include <algorithm>

#include "base/by_id.h"
#include "base/error.h"
#include "document/undo_step.h"
#include "exchange/verify.h"
#include "shot/shot_file.h"
#include "workflow/export_run.h"
#include "workflow/gather_scene.h"
#include "workflow/ground_work.h"
#include "workflow/layout_work.h"
#include "workflow/match_shot.h"
#include "workflow/place_things.h"
#include "workflow/track_shot.h"
#include "workflow/verdict.h"

namespace va {

Document::Document(QObject* parent) : QObject(parent) {
    connect(&job_, &Job::finished, this, [this](const JobResult& result) {
        takeResult(job_.name(), result);
        const Verdict v = sentenceThatMatters(shot_);
        Q_EMIT message(tr("%1: %2").arg(job_.name(), QString::fromStdString(v.sentence)));
    });
    connect(&job_, &Job::reached, this, &Document::takeStage);
    connect(&job_, &Job::cancelledWith, this, [this](const JobResult& soFar) {
        // On to the shot of before when the job had nothing to show yet.
        if (stage_ || soFar.made.paths != soFar.before.paths) takeResult(tr("%1, cancelled").arg(job_.name()), soFar);
        Q_EMIT message(tr("%1 cancelled; %2 paths kept.").arg(job_.name()).arg(shot_.paths->size()));
    });
    connect(&job_, &Job::failed, this, [this](const QString& sentence, const JobResult& soFar) {
        // What was done until then stays, as after a cancel.
        const bool some = soFar.made.paths != soFar.before.paths || soFar.made.solve != soFar.before.solve;
        if (some) takeResult(tr("%1, until an error").arg(job_.name()), soFar);
        Q_EMIT troubled(some ? tr("%1 The %2 paths until then are kept.").arg(sentence).arg(shot_.paths->size())
                             : sentence);
    });
    connect(&undo_, &QUndoStack::indexChanged, this, [this](int index) {
        const auto* next = index > 0 ? dynamic_cast<const UndoStep*>(undo_.command(index - 1)) : nullptr;
        if (next && next->dropped()) Q_EMIT message(tr("Undo ends here: older steps were dropped to save memory."));
    });
    autosave_.setInterval(60'000);
    connect(&autosave_, &QTimer::timeout, this, &Document::autosaveNow);
    autosave_.start();
}

Document::~Document() = default;

void Document::replace(const Shot& shot) {
    const bool otherPlate = shot.plateSpec != shot_.plateSpec || shot.plate.width != shot_.plate.width ||
                            shot.overrides.stream != shot_.overrides.stream ||
                            shot.overrides.evenTimes != shot_.overrides.evenTimes ||
                            !(shot.plate.frames == shot_.plate.frames);
    shot_ = shot;
    ++revision_;
    selection_.keepWhatIs(shot_);
    if (otherPlate) Q_EMIT plateChanged();
    Q_EMIT shotChanged();
    setFrame(frame_);
}

void Document::edit(const QString& name, const Shot& next, const QString& merge) {
    undo_.push(new UndoStep(
        name, shot_, next, [this](const Shot& s) { replace(s); }, merge));
    limitUndo();
}

/// The oldest steps are dropped first.
void Document::limitUndo() {
    size_t bytes = 0;
    for (int i = undo_.count() - 1; i >= 0; --i) {
        const auto* step = dynamic_cast<const UndoStep*>(undo_.command(i));
        if (!step || step->dropped()) break;
        bytes += step->ownBytes();
        // The step just made can always be undone.
        if (bytes <= undoLimit_ || i + 1 == undo_.count()) continue;
        step->drop();
        // What was saved can't be reached by undo any more: nothing before the next save counts as unchanged.
        if (undo_.cleanIndex() <= i) undo_.resetClean();
    }
}

void Document::carryThings(Shot& next) {
    CarriedThings carried = carriedThings(shot_, next);
    next.things = std::move(carried.things);
    if (!carried.trouble.empty()) Q_EMIT troubled(QString::fromStdString(carried.trouble));
}

void Document::amendSolve(const Shot& solved) {
    if (solved.solveFrom != fingerprintOfSolveInput(shot_)) return;
    Shot next = shot_;
    next.solve = solved.solve;
    next.solveFrom = solved.solveFrom;
    next.refineReport = solved.refineReport;
    next.groundBasis = solved.groundBasis;
    for (Mover& m : next.movers)
        if (const Mover* made = solved.mover(m.id); made && made->paths == m.paths)
            m.solve = made->solve, m.solveFrom = made->solveFrom;
    next = withGround(next, next.groundSpec);
    carryThings(next);
    amend(next);
}

bool Document::amendThing(const Thing& before, const Thing& now) {
    const Thing* there = shot_.thing(before.id);
    if (!there || !(*there == before)) return false;
    Shot next = shot_;
    for (Thing& t : next.things)
        if (t.id == now.id) t = now;
    amend(next);
    return true;
}

void Document::amend(const Shot& next) {
    const int at = undo_.index();
    if (at > 0) {
        if (const auto* step = dynamic_cast<const UndoStep*>(undo_.command(at - 1))) step->amend(next);
        if (undo_.isClean()) undo_.resetClean();
    }
    replace(next);
}

void Document::takeResult(const QString& name, const JobResult& result) {
    JobResult taken = result;
    // What an earlier stage has shown is what the work goes on from, unless it was undone.
    const bool shown = stage_ && undo_.index() >= stage_->undoIndex;
    const bool onTop = shown && undo_.index() == stage_->undoIndex;
    if (shown) taken.before = stage_->shot;
    stage_.reset();
    Shot next = merged(shot_, taken);
    carryThings(next);
    if (onTop) amend(next);
    else edit(name, next);
}

void Document::takeStage(const JobResult& stage) {
    takeResult(job_.name(), stage);
    stage_ = Stage{undo_.index(), shot_};
}

void Document::setRange(FrameRange range) {
    if (!shot_.hasPlate()) return;
    range.first = shot_.plate.frames.clamp(range.first);
    range.last = std::max(range.first, shot_.plate.frames.clamp(range.last));
    if (range == shot_.range) return;
    Shot next = shot_;
    next.range = range;
    edit(tr("Set work range"), next);
}

void Document::setAside(const QSet<int>& pathIds, bool aside) {
    auto paths = std::make_shared<std::vector<Path>>(*shot_.paths);
    int changed = 0;
    for (Path& p : *paths)
        if (pathIds.contains(p.id) && p.setAside != aside)
            p.setAside = aside, p.setAsideReason = aside ? "by hand" : "", ++changed;
    if (changed == 0) return;
    Shot next = shot_;
    next.paths = paths;
    edit(aside ? (changed == 1 ? tr("Set 1 path aside") : tr("Set %1 paths aside").arg(changed))
               : (changed == 1 ? tr("Bring 1 path back") : tr("Bring %1 paths back").arg(changed)),
         next);
}

void Document::setGround(const QString& name, const GroundSpec& spec) {
    Shot next = withGround(shot_, spec);
    // The world changes, and everything in it stays where the picture shows it.
    carryThings(next);
    if (!next.ground->trouble.empty()) Q_EMIT troubled(QString::fromStdString(next.ground->trouble));
    edit(name, next);
}

int Document::addThing(const ThingKind& kind, const Eigen::Vector3d& at, const QString& name) {
    Thing thing;
    thing.kind = kind;
    thing.name = name.isEmpty() ? std::string(kindWord(kind)) : name.toStdString();
    thing.position = at;
    if (std::fabs(at.y()) < 1e-9) thing.hang.on = Hang::On::ground;
    int id = 0;
    edit(tr("Place %1").arg(QString::fromLatin1(kindLabel(kind)).toLower()), withThing(shot_, thing, &id));
    selectThing(id);
    return id;
}

void Document::openPlateAsNew(const QString& spec) {
    auto source = opening_.open(QFileInfo(spec).absoluteFilePath().toStdString(), {});
    const Shot fresh = withOpenedPlate(Shot(), source->info());
    job_.cancel();
    shot_ = Shot();
    source_.reset();
    selection_.paths.clear();
    selection_.thing = 0;
    selection_.things.clear();
    fileName_.clear();
    recovered_ = false;
    plateTrouble_.clear();
    undo_.clear();
    frame_ = fresh.range.first;
    replace(fresh);
    source_ = std::move(source);
    Q_EMIT plateChanged();
    Q_EMIT fileNameChanged();
    Q_EMIT selectionChanged();
}

void Document::openProject(const QString& file) {
    Shot read = readShot(file.toStdString());
    plateTrouble_.clear();
    std::unique_ptr<PlateSource> source;
    try {
        source = opening_.open(read.plateSpec, choicesForOpening(read.overrides));
        const Shot opened = withOpenedPlate(read, source->info(), read.overrides);
        if (opened.plate.width != read.plate.width || opened.plate.height != read.plate.height)
            plateTrouble_ =
                tr("The footage is %1 × %2 now, the project was made with %3 × %4. Locate the right footage.")
                    .arg(opened.plate.width)
                    .arg(opened.plate.height)
                    .arg(read.plate.width)
                    .arg(read.plate.height);
        else {
            // What was found to be damaged on the way is not seen on opening.
            const std::vector<FrameDamage> known = read.plate.damaged;
            read.plate = opened.plate;
            for (const FrameDamage& d : known)
                if (read.plate.exists(d.frame)) read.plate.damaged.push_back(d);
            std::sort(read.plate.damaged.begin(), read.plate.damaged.end(),
                      [](const FrameDamage& a, const FrameDamage& b) { return a.frame < b.frame; });
        }
    } catch (const Error& e) {
        plateTrouble_ = tr("The footage is not where it was: %1 Everything else of the project is here.")
                            .arg(QString::fromUtf8(e.what()));
    }
    job_.cancel();
    undo_.clear();
    selection_.paths.clear();
    selection_.thing = 0;
    selection_.things.clear();
    fileName_ = QFileInfo(file).absoluteFilePath();
    recovered_ = false;
    frame_ = read.range.first;
    shot_ = Shot();
    source_.reset();
    replace(read);
    if (plateTrouble_.isEmpty()) source_ = std::move(source);
    Q_EMIT plateChanged();
    Q_EMIT fileNameChanged();
    Q_EMIT selectionChanged();
}

void Document::closePlate() {
    job_.cancel();
    undo_.clear();
    fileName_.clear();
    recovered_ = false;
    plateTrouble_.clear();
    source_.reset();
    replace(Shot());
    Q_EMIT plateChanged();
    Q_EMIT fileNameChanged();
    Q_EMIT selectionChanged();
}

void Document::reopenPlate(const QString& name, const QString& spec, const PlateOverrides& overrides) {
    const auto source = opening_.open(spec.toStdString(), choicesForOpening(overrides));
    Shot next = withOpenedPlate(shot_, source->info(), overrides);
    if (!(next.plate.frames == shot_.plate.frames)) next.range = next.plate.frames;
    edit(name, next);
}

void Document::save(const QString& file) {
    writeShot(shot_, file.toStdString());
    const QString old = autosaveFile();
    fileName_ = QFileInfo(file).absoluteFilePath();
    undo_.setClean();
    recovered_ = false;
    QFile::remove(old);
    QFile::remove(autosaveFile());
    Q_EMIT fileNameChanged();
}

void Document::relinkPlate(const QString& spec) {
    const auto source =
        opening_.open(QFileInfo(spec).absoluteFilePath().toStdString(), choicesForOpening(shot_.overrides));
    const Shot next = withOpenedPlate(shot_, source->info(), shot_.overrides);
    if (shot_.hasPlate() && (next.plate.width != shot_.plate.width || next.plate.height != shot_.plate.height)) {
        throw InputError(tr("That footage is %1 × %2; the shot was made with %3 × %4. Choose footage of the same size.")
                             .arg(next.plate.width)
                             .arg(next.plate.height)
                             .arg(shot_.plate.width)
                             .arg(shot_.plate.height)
                             .toStdString());
    }
    plateTrouble_.clear();
    edit(tr("Locate footage"), next);
    Q_EMIT plateChanged();
}

QString Document::autosaveFile() const {
    if (!fileName_.isEmpty()) return fileName_ + QLatin1Char('~');
    const QString folder = unsavedFolder();
    QDir().mkpath(folder);
    return folder + QStringLiteral("/%1-%2.vanchor~").arg(QCoreApplication::applicationPid()).arg(unsavedName_);
}

QString Document::unsavedFolder() {
    return QStandardPaths::writableLocation(QStandardPaths::AppDataLocation) + QStringLiteral("/unsaved");
}

QStringList Document::unsavedCopies() {
    QStringList out;
    for (const QFileInfo& f : QDir(unsavedFolder()).entryInfoList({"*.vanchor~"}, QDir::Files, QDir::Time)) {
        // Those of a program that still runs are its own.
        const qint64 pid = f.fileName().section('-', 0, 0).toLongLong();
        if (pid != QCoreApplication::applicationPid() && QFileInfo::exists(QStringLiteral("/proc/%1").arg(pid)))
            continue;
        if (pid != QCoreApplication::applicationPid()) out << f.absoluteFilePath();
    }
    return out;
}

void Document::recover(const QString& copy, const QString& project) {
    openProject(copy);
    fileName_ = project.isEmpty() ? QString() : QFileInfo(project).absoluteFilePath();
    // It is not what lies on disk under that name: it counts as changed until it is saved.
    undo_.resetClean();
    recovered_ = true;
    Q_EMIT fileNameChanged();
}

void Document::autosaveNow() {
    if (!modified() || !shot_.hasPlate()) return;
    try {
        writeShot(shot_, autosaveFile().toStdString());
    } catch (const Error& e) {
        Q_EMIT troubled(tr("Autosave: %1").arg(QString::fromUtf8(e.what())));
    }
}

QString Document::recoverableCopy(const QString& file) {
    const QFileInfo project(file), copy(file + QLatin1Char('~'));
    return copy.exists() && copy.lastModified() > project.lastModified() ? copy.absoluteFilePath() : QString();
}

void Document::startJob(const QString& name, Parts parts, Job::Work work) {
    startStagedJob(name, parts, [work = std::move(work)](const Shot& s, Progress& p, Shot& soFar, const Job::Reached&) {
        return work(s, p, soFar);
    });
}

void Document::startStagedJob(const QString& name, Parts parts, Job::StagedWork work) {
    if (!shot_.hasPlate()) return Q_EMIT troubled(tr("There is no plate yet. Open a movie, stills or a photo first."));
    if (job_.running()) return Q_EMIT troubled(tr("%1 is still running. Cancel it first, or wait.").arg(job_.name()));
    stage_.reset();
    job_.startStaged(name, parts, shot_, std::move(work));
}

void Document::matchShot() {
    startStagedJob(tr("Match shot"), Parts(Part::paths) | Part::solve | Part::movers | Part::stills,
                   [](const Shot& s, Progress& p, Shot& soFar, const Job::Reached& reached) {
                       return va::matchShot(s, p, &soFar, reached);
                   });
}
void Document::trackFeatures() {
    startJob(tr("Track features"), Parts(Part::paths) | Part::stills, [](const Shot& s, Progress& p, Shot& soFar) {
        return trackWorkFor(s) == TrackWork::none ? withPathsAnew(s, p, &soFar) : withPaths(s, p, &soFar);
    });
}
void Document::solve() {
    if (shot_.paths->empty()) return matchShot();
    startJob(tr("Solve"), Part::solve | Part::movers,
             [](const Shot& s, Progress& p, Shot&) { return withSolve(s, p); });
}

void Document::tookExport(const ExportRun& run, quint64 from) {
    double largest = 0;
    for (const ExportCheck& check : run.checks) largest = std::max(largest, check.largestPx);
    Shot next = shot_;
    next.exportedFrom = from;
    next.exportFailed = !run.passed();
    next.exportReport =
        (run.passed() ? tr("%1 files verified, largest difference %2 px").arg(run.checks.size()).arg(largest, 0, 'f', 5)
         : run.refused.empty() ? tr("Do not use the files: reading back differed")
                               : tr("Not all could be written: see the list"))
            .toStdString();
    edit(tr("Export"), next);
}

void Document::setFrame(int frame) {
    if (!shot_.hasPlate()) return;
    const int next = shot_.plate.frames.clamp(frame);
    if (next == frame_) return;
    frame_ = next;
    Q_EMIT frameChanged(frame_);
}

void Document::selectPaths(const QSet<int>& ids, Combine combine) {
    QSet<int> next = combine == Combine::replace ? QSet<int>() : selection_.paths;
    for (int id : ids) {
        if (combine == Combine::toggle && next.contains(id)) next.remove(id);
        else next.insert(id);
    }
    // Picked one by one they come besides a thing: it can be hung on them.
    const bool keepThing = combine != Combine::replace;
    if (next == selection_.paths && (keepThing || selection_.thing == 0)) return;
    selection_.paths = next;
    if (!keepThing) selection_.thing = 0, selection_.things.clear();
    Q_EMIT selectionChanged();
}

void Document::selectMask(int id) {
    if (id == selection_.mask) return;
    selection_.mask = id;
    Q_EMIT selectionChanged();
}

void Document::selectPatch(int id) {
    if (id == selection_.patch) return;
    selection_.patch = id;
    Q_EMIT selectionChanged();
}

void Document::setPreviewed(const QSet<int>& ids) {
    if (ids == selection_.previewed) return;
    selection_.previewed = ids;
    Q_EMIT selectionChanged();
}

void Document::selectThing(int id, bool keepPaths) {
    const QSet<int> things = id != 0 ? QSet<int>{id} : QSet<int>();
    if (id == selection_.thing && things == selection_.things && (keepPaths || selection_.paths.isEmpty())) return;
    selection_.thing = id;
    selection_.things = things;
    if (!keepPaths) selection_.paths.clear();
    Q_EMIT selectionChanged();
}

void Document::selectThings(const QSet<int>& ids, int current) {
    if (ids == selection_.things && current == selection_.thing) return;
    selection_.things = ids;
    selection_.thing = ids.contains(current) ? current : ids.isEmpty() ? 0 : *ids.begin();
    if (!ids.isEmpty()) selection_.paths.clear();
    Q_EMIT selectionChanged();
}

}  // namespace va
