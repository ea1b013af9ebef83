// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QStringList>

#include "document/document.h"
#include "lens/resample.h"
#include "workflow/lens_work.h"

namespace va {

/// What the Lens step does to the shot, as undoable edits and jobs: edges, chart, files, models, camera look-up, and
/// writing undistorted plates. Troubles go to Document::troubled.
class LensEdits : public QObject {
    Q_OBJECT
  public:
    explicit LensEdits(Document& document, QObject* parent = nullptr);

    void findEdges();
    void drawEdge(const Eigen::Vector2d& from, const Eigen::Vector2d& to);
    void toggleEdge(int id);
    /// All edges that stand in the current frame become accepted.
    void acceptEdges();
    void removeEdge(int id);
    /// Takes proposals away, in all frames; accepted ones stay.
    void removeProposals();
    void solveEdges();

    void setChartStills(const QStringList& files);
    void calibrateChart();
    void takeChart();

    void takeFile(const QString& path);
    void setModel(LensKind kind);
    void takeMetadata();
    void takeProfile(const QString& lens);
    void setFilmBack(double widthMm, const QString& name);
    /// The sensor of a camera of the data base, by its name; trouble where there is none.
    void takeCamera(const QString& name);
    void setCut(const CameraPriors::Cut& cut);

    /// What is written from the Lens step.
    struct Writing {
        QString folder, ending = "exr";
        Filter filter = Filter::bicubic;
        Overscan overscan = Overscan::whole;
        bool straightAlpha = false;
    };
    void writeUndistorted(const Writing& to);
    void writeRedistorted(const QString& insert, const Writing& to);
    void writeStmaps(const Writing& to);

    /// The camera data base, loaded when first asked for.
    [[nodiscard]] const CameraBase& base();

  Q_SIGNALS:
    /// What came of an edit or a job: its number, what it is based on.
    void told(const QString& sentence);

  private:
    /// Changes the shot by a function that may throw InputError and may have something to say.
    void edit(const QString& name, const std::function<Shot(const Shot&, std::string&)>& change);
    void work(const QString& name, Parts parts, std::function<Shot(const Shot&, Progress&, std::string&)> change);
    [[nodiscard]] std::optional<Intrinsics> lensToWrite();

    Document& document_;
    std::unique_ptr<CameraBase> base_;
    std::shared_ptr<std::string> pending_ = std::make_shared<std::string>();  ///< what the running job has to say
};

}  // namespace va
