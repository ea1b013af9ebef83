// SPDX-License-Identifier: GPL-3.0-or-later
#include "document/exchange_edits.h"

#include <QFileInfo>
#include <QStandardPaths>

#include "base/error.h"
#include "workflow/gather_scene.h"
#include "workflow/verdict.h"

namespace va {

ExchangeEdits::ExchangeEdits(Document& document, QObject* parent) : QObject(parent), document_(document) {
    connect(&background_, &Background::progressed, this, &ExchangeEdits::changed);
}

void ExchangeEdits::exportTo(const QString& folder, const ExportChoices& choices, const QStringList& words) {
    if (background_.running()) return;
    if (folder.trimmed().isEmpty()) return Q_EMIT document_.troubled(tr("There is no folder to export to. Name one."));
    std::vector<std::string> formats;
    for (const QString& w : words) formats.push_back(w.toStdString());
    if (formats.empty()) return Q_EMIT document_.troubled(tr("No format is chosen. Tick one."));
    const auto made = std::make_shared<ExportRun>();
    const quint64 from = fingerprintOfExportInput(document_.shot());
    background_.start(
        [shot = document_.shot(), choices, formats, folder, made](Progress& progress) {
            *made = exportShot(shot, choices, formats, std::filesystem::path(folder.toStdString()), progress);
        },
        [this, made, from, folder](Background::End end, const QString& trouble) {
            if (end == Background::End::failed) Q_EMIT document_.troubled(trouble);
            if (end == Background::End::done) {
                run_ = *made;
                folder_ = folder;
                if (!run_.checks.empty()) document_.tookExport(run_, from);
                if (!run_.refused.empty()) Q_EMIT document_.troubled(QString::fromStdString(run_.refused.front()));
            }
            Q_EMIT exported();
            Q_EMIT changed();
        });
    Q_EMIT changed();
}

std::optional<ExchangeEdits::Offered> ExchangeEdits::offered(const QString& name,
                                                             const std::function<ForeignScene()>& read) {
    try {
        Offered out{name, read(), {}, {}};
        out.misfits = misfitsOf(document_.shot(), out.scene);
        return out;
    } catch (const Error& e) {
        Q_EMIT document_.troubled(QString::fromUtf8(e.what()));
        return std::nullopt;
    }
}

std::optional<ExchangeEdits::Offered> ExchangeEdits::offer(const QString& file) {
    return offered(file, [&] { return readScene(file.toStdString()); });
}

std::optional<ExchangeEdits::Offered> ExchangeEdits::offerText(const QString& words) {
    return offered(tr("clipboard"), [&] { return cameraCsvFormat.read(words.toStdString(), "clipboard"); });
}

bool ExchangeEdits::take(const Offered& o, bool things) {
    QString folder;
    if (things) {
        const QString base = document_.fileName().isEmpty()
                                 ? QStandardPaths::writableLocation(QStandardPaths::AppDataLocation) + "/meshes"
                                 : QFileInfo(document_.fileName()).absolutePath();
        folder = base + "/" + QFileInfo(o.file).completeBaseName() + "-meshes";
    }
    try {
        const Shot next = withImportedScene(document_.shot(), o.scene, o.misfits, o.camera.toStdString(),
                                            o.file.toStdString(), std::filesystem::path(folder.toStdString()));
        document_.edit(tr("Take camera from %1").arg(QFileInfo(o.file).fileName()), next);
        return true;
    } catch (const Error& e) {
        Q_EMIT document_.troubled(QString::fromUtf8(e.what()));
        return false;
    }
}

void ExchangeEdits::unlockCamera() {
    if (document_.shot().cameraFrom.empty())
        return Q_EMIT document_.troubled(tr("The camera was solved here: it is not locked."));
    document_.edit(tr("Unlock camera"), withCameraUnlocked(document_.shot()));
}

std::optional<CameraComparison> ExchangeEdits::compareWith(const Offered& o) {
    try {
        const SceneExport ours = gatherExport(document_.shot(), "");
        SceneExport theirs = answered(document_.shot(), o.scene, o.misfits, o.camera.toStdString());
        SceneExport against = ours;
        const bool said = cameraOf(o.scene, o.camera.toStdString()).lens.has_value() || !theirs.lens.isZero();
        if (!said) against.lens = LensModel();
        CameraComparison out = compareCameras(against, theirs);
        if (!said && !ours.lens.isZero())
            out.sentence += tr(" The file does not say its distortion: both are compared without it.").toStdString();
        return out;
    } catch (const Error& e) {
        Q_EMIT document_.troubled(QString::fromUtf8(e.what()));
        return std::nullopt;
    }
}

QString ExchangeEdits::cameraText(bool wholeRange) {
    try {
        SceneExport scene = gatherExport(document_.shot(), "");
        scene.things.clear(), scene.paths = nullptr, scene.patches.clear();
        if (!wholeRange) std::erase_if(scene.frames, [this](const auto& f) { return f.frame != document_.frame(); });
        return QString::fromStdString(cameraCsvFormat.write(scene).front().content);
    } catch (const Error& e) {
        Q_EMIT document_.troubled(QString::fromUtf8(e.what()));
        return {};
    }
}

QString ExchangeEdits::verdictText() const {
    QString out;
    const Shot& shot = document_.shot();
    for (const Step step : {Step::plate, Step::features, Step::solve, Step::ground, Step::layout, Step::exporting})
        out += QString::fromStdString(verdictOn(shot, step).sentence) + "\n";
    return out;
}

}  // namespace va
