// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QObject>
#include <QSet>
#include <QTimer>
#include <QUndoStack>
#include <functional>
#include <optional>

#include "document/job.h"
#include "document/opening.h"
#include "document/selection.h"
#include "shot/shot.h"

namespace va {

struct ExportRun;

/// The shot that is being worked on, and the only place that changes it: every edit is one undoable command that
/// replaces the whole value. Views read `shot()` and listen. Selection and current frame live here too; they are no
/// edits.
class Document : public QObject {
    Q_OBJECT
  public:
    explicit Document(QObject* parent = nullptr);
    ~Document() override;

    [[nodiscard]] const Shot& shot() const { return shot_; }
    [[nodiscard]] QUndoStack& undoStack() { return undo_; }
    [[nodiscard]] const QString& fileName() const { return fileName_; }
    /// Another number after every change of the shot.
    [[nodiscard]] quint64 revision() const { return revision_; }
    [[nodiscard]] bool modified() const { return recovered_ || !undo_.isClean(); }
    /// Bytes that undo may hold on to; older steps are dropped.
    void setUndoLimit(size_t bytes) { undoLimit_ = bytes; }

    // ---- edits; each is one step of undo -----------------------------------------------------------------------
    /// Steps with the same `merge` word that follow each other quickly become one.
    void edit(const QString& name, const Shot& next, const QString& merge = {});
    /// Takes a solve that belongs to the shot as it is now into the last edit; one that does not is dropped.
    void amendSolve(const Shot& solved);
    /// Takes a thing's change into the last edit. False, and nothing changed, where it is not `before` any more.
    bool amendThing(const Thing& before, const Thing& now);

    void setRange(FrameRange range);
    void setAside(const QSet<int>& pathIds, bool aside);
    void setGround(const QString& name, const GroundSpec& spec);
    /// Puts a thing into the world, on the ground where its height is 0, and selects it. Without a name it gets its
    /// kind's. Gives its id.
    int addThing(const ThingKind& kind, const Eigen::Vector3d& at, const QString& name = {});

    // ---- files --------------------------------------------------------------------------------------------------
    /// Opens a plate as a new shot. Throws InputError, and Cancelled.
    void openPlateAsNew(const QString& spec);
    /// Opens a project. A plate that is not there loses nothing: `plateTrouble()` then says where it was looked for.
    void openProject(const QString& file);
    void save(const QString& file);
    /// Points the shot to where the same footage lies now. Throws InputError; refuses footage of another size.
    void relinkPlate(const QString& spec);
    /// Back to an empty shot.
    void closePlate();
    /// Opens the shot's plate with other choices, or another one of its series, as one edit. Throws as above.
    void reopenPlate(const QString& name, const QString& spec, const PlateOverrides& overrides);
    [[nodiscard]] Opening& opening() { return opening_; }
    /// The source that was opened last, for the view that shows it; null when it was taken already.
    [[nodiscard]] std::unique_ptr<PlateSource> takeSource() { return std::move(source_); }
    [[nodiscard]] const QString& plateTrouble() const { return plateTrouble_; }
    /// Autosaved copy that is newer than the project, or empty.
    [[nodiscard]] static QString recoverableCopy(const QString& file);
    [[nodiscard]] QString autosaveFile() const;
    /// Autosaved copies of shots that were never saved, left by programs that do not run any more; newest first.
    [[nodiscard]] static QStringList unsavedCopies();
    /// Opens an autosaved copy as the project it was made for (empty: never saved). It counts as changed. Throws as
    /// openProject().
    void recover(const QString& copy, const QString& project);
    void autosaveNow();

    // ---- long work ----------------------------------------------------------------------------------------------
    [[nodiscard]] Job& job() { return job_; }
    void matchShot();
    void trackFeatures();
    void solve();
    /// Runs work on the shot as it is now; what it makes of these parts is merged into the shot as it is then.
    void startJob(const QString& name, Parts parts, Job::Work work);
    /// The same for work that shows what it has reached while it goes on.
    void startStagedJob(const QString& name, Parts parts, Job::StagedWork work);
    /// Notes what an export wrote, which was made from a shot of that fingerprint.
    void tookExport(const ExportRun& run, quint64 from);

    // ---- what is looked at --------------------------------------------------------------------------------------
    [[nodiscard]] int frame() const { return frame_; }
    void setFrame(int frame);
    [[nodiscard]] const QSet<int>& selectedPaths() const { return selection_.paths; }
    /// The thing whose numbers are shown; it is one of selectedThings().
    [[nodiscard]] int selectedThing() const { return selection_.thing; }
    [[nodiscard]] const QSet<int>& selectedThings() const { return selection_.things; }
    enum class Combine { replace, toggle, add };
    void selectPaths(const QSet<int>& ids, Combine combine = Combine::replace);
    /// Features stay selected where `keepPaths` says so: things are hung on what is selected besides.
    void selectThing(int id, bool keepPaths = false);
    void selectThings(const QSet<int>& ids, int current);
    [[nodiscard]] int selectedMask() const { return selection_.mask; }
    void selectMask(int id);
    [[nodiscard]] int selectedPatch() const { return selection_.patch; }
    void selectPatch(int id);
    /// Paths that a rule would set aside, marked in the views while the artist decides.
    [[nodiscard]] const QSet<int>& previewed() const { return selection_.previewed; }
    void setPreviewed(const QSet<int>& ids);

  Q_SIGNALS:
    void shotChanged();
    void plateChanged();
    void frameChanged(int frame);
    void selectionChanged();
    void fileNameChanged();
    void message(const QString& sentence);
    void troubled(const QString& sentence);

  private:
    /// Things of a shot with another solve or ground than the one there is now: where they hang.
    void carryThings(Shot& next);
    void amend(const Shot& next);
    void replace(const Shot& shot);
    void takeResult(const QString& name, const JobResult& result);
    void takeStage(const JobResult& stage);
    void limitUndo();
    [[nodiscard]] static QString unsavedFolder();

    Shot shot_;
    QUndoStack undo_;
    /// What a job that still runs has shown so far.
    struct Stage {
        int undoIndex = 0;
        Shot shot;
    };
    std::optional<Stage> stage_;
    QString fileName_, plateTrouble_;
    Job job_;
    Opening opening_;
    std::unique_ptr<PlateSource> source_;
    QTimer autosave_;
    size_t undoLimit_ = size_t(1) << 30;  ///< an edit of a path takes a few hundred kB of it, a solve some MB
    bool recovered_ = false;              ///< what is shown is an autosaved copy
    int unsavedName_ = 1;
    int frame_ = 0;
    quint64 revision_ = 0;
    Selection selection_;
};

}  // namespace va
