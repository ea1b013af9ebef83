// SPDX-License-Identifier: GPL-3.0-or-later
#include "document/lens_edits.h"

#include <QDir>
#include <QFileInfo>

#include "base/error.h"
#include "workflow/undistort.h"

namespace va {

LensEdits::LensEdits(Document& document, QObject* parent) : QObject(parent), document_(document) {
    // After the document took the result and said its own sentence.
    connect(&document_.job(), &Job::finished, this, [this] {
        const QString sentence = QString::fromStdString(*pending_);
        pending_ = std::make_shared<std::string>();
        if (!sentence.isEmpty()) Q_EMIT told(sentence);
    });
}

void LensEdits::edit(const QString& name, const std::function<Shot(const Shot&, std::string&)>& change) {
    try {
        std::string sentence;
        document_.edit(name, change(document_.shot(), sentence));
        if (!sentence.empty()) Q_EMIT told(QString::fromStdString(sentence));
    } catch (const std::exception& e) {
        Q_EMIT document_.troubled(QString::fromUtf8(e.what()));
    }
}

void LensEdits::work(const QString& name, Parts parts,
                     std::function<Shot(const Shot&, Progress&, std::string&)> change) {
    // Failed or cancelled jobs leave their words to a sentence that nobody reads any more.
    pending_ = std::make_shared<std::string>();
    document_.startJob(name, parts,
                       [said = pending_, change = std::move(change)](const Shot& s, Progress& progress, Shot&) {
                           return change(s, progress, *said);
                       });
}

void LensEdits::findEdges() {
    const int frame = document_.frame();
    work(tr("Find straight edges"), Part::edges, [frame](const Shot& s, Progress& progress, std::string& sentence) {
        return withEdgesFound(s, frame, progress, &sentence);
    });
}

void LensEdits::drawEdge(const Eigen::Vector2d& from, const Eigen::Vector2d& to) {
    const int frame = document_.frame();
    work(tr("Track an edge"), Part::edges,
         [=](const Shot& s, Progress&, std::string&) { return withEdgeAlong(s, frame, from, to); });
}

void LensEdits::toggleEdge(int id) {
    edit(tr("Accept or release edge"), [id](Shot s, std::string&) {
        for (StraightEdge& e : s.edges)
            if (e.id == id) e.accepted = !e.accepted;
        return s;
    });
}

void LensEdits::acceptEdges() {
    edit(tr("Accept edges"), [this](Shot s, std::string&) {
        for (StraightEdge& e : s.edges)
            if (e.frame == document_.frame()) e.accepted = true;
        return s;
    });
}

void LensEdits::removeEdge(int id) {
    edit(tr("Remove edge"), [id](Shot s, std::string&) {
        std::erase_if(s.edges, [id](const StraightEdge& e) { return e.id == id; });
        return s;
    });
}

void LensEdits::removeProposals() {
    edit(tr("Remove proposed edges"), [](Shot s, std::string&) {
        std::erase_if(s.edges, [](const StraightEdge& e) { return !e.accepted; });
        return s;
    });
}

void LensEdits::solveEdges() {
    work(tr("Find distortion"), Part::edges | Part::lens, [](const Shot& s, Progress& progress, std::string& sentence) {
        return withLensFromEdges(s, progress, &sentence);
    });
}

void LensEdits::setChartStills(const QStringList& files) {
    edit(tr("Choose chart stills"), [&](Shot s, std::string&) {
        s.chartStills.clear();
        for (const QString& f : files) s.chartStills.push_back(f.toStdString());
        s.chart = std::make_shared<ChartCalibration>();
        return s;
    });
}

void LensEdits::calibrateChart() {
    work(tr("Calibrate from chart"), Part::chart, [](const Shot& s, Progress& progress, std::string& sentence) {
        Shot out = withChart(s, progress);
        sentence = out.chart->trouble;
        return out;
    });
}

void LensEdits::takeChart() {
    edit(tr("Take the chart's lens"), [](const Shot& s, std::string&) { return withChartLens(s); });
}

void LensEdits::takeFile(const QString& path) {
    edit(tr("Take the lens from a file"),
         [&](const Shot& s, std::string&) { return withLensFile(s, path.toStdString()); });
}

void LensEdits::setModel(LensKind kind) {
    edit(tr("Set lens model"),
         [kind](const Shot& s, std::string& sentence) { return withLensModel(s, kind, &sentence); });
}

const CameraBase& LensEdits::base() {
    if (!base_) base_ = std::make_unique<CameraBase>();
    return *base_;
}

void LensEdits::takeMetadata() {
    edit(tr("Take the camera's metadata"), [this](const Shot& s, std::string& sentence) {
        const BackFacts facts = backFactsOf(s.plate, base());
        if (!facts.sensorWidthMm && !facts.focalMm)
            throw InputError(facts.trouble.empty()
                                 ? "The plate's files say nothing of the camera. Choose a film back, or type its width."
                                 : facts.trouble.front());
        if (!facts.source.empty()) sentence = "Sensor width from " + facts.source + ".";
        for (const std::string& t : facts.trouble) sentence += " " + t;
        return withBackFacts(s, facts);
    });
}

void LensEdits::takeProfile(const QString& lens) {
    edit(tr("Take the lens of the data base"), [&](const Shot& s, std::string& sentence) {
        const auto profile = base().profile(lens.toStdString(), s.priors.focalMm);
        if (!profile)
            throw InputError(tr("The data base does not know how \"%1\" distorts at %2 mm.")
                                 .arg(lens)
                                 .arg(s.priors.focalMm, 0, 'g', 4)
                                 .toStdString());
        return withLensProfile(s, *profile, &sentence);
    });
}

void LensEdits::setFilmBack(double widthMm, const QString& name) {
    edit(tr("Choose film back"), [&](Shot s, std::string&) {
        s.priors.sensorWidthMm = widthMm;
        s.priors.sensorAssumed = false;
        s.priors.camera = name.toStdString();
        s.priors.cut = {};
        return s;
    });
}

void LensEdits::takeCamera(const QString& name) {
    edit(tr("Choose camera"), [&](const Shot& s, std::string& sentence) {
        PlateInfo asked;
        asked.width = s.plate.width;
        asked.height = s.plate.height;
        const auto found = base().cameras({}, name.toStdString());
        if (found.empty())
            throw InputError(
                tr("The camera data base has no \"%1\". Type its sensor's width instead.").arg(name).toStdString());
        asked.cameraMaker = found.front().maker;
        asked.cameraModel = found.front().model;
        const BackFacts facts = backFactsOf(asked, base());
        sentence = tr("%1: crop factor %2")
                       .arg(QString::fromStdString(facts.camera))
                       .arg(found.front().cropFactor, 0, 'g', 4)
                       .toStdString();
        return withBackFacts(s, facts);
    });
}

void LensEdits::setCut(const CameraPriors::Cut& cut) {
    edit(tr("Set the cut-out"), [&](const Shot& s, std::string&) { return withCut(s, cut); });
}

std::optional<Intrinsics> LensEdits::lensToWrite() {
    const auto lens = document_.shot().lens();
    if (!lens)
        Q_EMIT document_.troubled(tr("There is no lens yet. Solve the shot, or give focal length and distortion."));
    return lens;
}

namespace {

PictureSeries seriesFor(const LensEdits::Writing& to, const Shot& shot, const char* what) {
    PictureSeries out;
    if (to.folder.isEmpty() || !QDir().mkpath(to.folder))
        throw InputError("The folder \"" + to.folder.toStdString() + "\" can't be made. Choose another.");
    out.folder = to.folder.toStdString();
    out.stem = shot.name + "-" + what;
    out.ending = to.ending.toStdString();
    out.format.bits = to.ending == "dpx" ? 10 : to.ending == "exr" || shot.plate.bits > 8 ? 16 : 8;
    out.format.pixelAspect = shot.pixelAspect();
    out.rate = shot.rate();
    return out;
}

}  // namespace

void LensEdits::writeUndistorted(const Writing& to) {
    const auto lens = lensToWrite();
    if (!lens) return;
    work(tr("Undistort plate"), {}, [=](const Shot& s, Progress& progress, std::string& sentence) {
        const auto source = openPlate(s.plateSpec, s.overrides);
        sentence = undistortPlate(*source, s.frames(), *lens, to.overscan, to.filter, seriesFor(to, s, "undistorted"),
                                  progress)
                       .report;
        return s;
    });
}

void LensEdits::writeRedistorted(const QString& insert, const Writing& to) {
    const auto lens = lensToWrite();
    if (!lens) return;
    work(tr("Distort insert"), {}, [=](const Shot& s, Progress& progress, std::string& sentence) {
        const auto source = openPlate(insert.toStdString());
        sentence = distortInsert(*source, source->info().existing(), *lens, s.plate.width, s.plate.height, to.overscan,
                                 to.filter, !to.straightAlpha, seriesFor(to, s, "distorted"), progress)
                       .report;
        return s;
    });
}

void LensEdits::writeStmaps(const Writing& to) {
    const auto lens = lensToWrite();
    if (!lens) return;
    work(tr("Write STMaps"), {}, [=](const Shot& s, Progress&, std::string& sentence) {
        const PictureSeries series = seriesFor(to, s, "stmap");
        sentence = va::writeStmaps(*lens, s.plate.width, s.plate.height, to.overscan,
                                   series.folder / (series.stem + "-undistort.exr"),
                                   series.folder / (series.stem + "-distort.exr"))
                       .report;
        return s;
    });
}

}  // namespace va
