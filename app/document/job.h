// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QObject>
#include <functional>

#include "document/background.h"
#include "document/job_result.h"

namespace va {

/// The one long computation that the artist started and can watch and cancel.
class Job : public QObject {
    Q_OBJECT
  public:
    /// Gets the snapshot, gives the next shot. `soFar` takes what is worth keeping when it is cancelled or fails.
    using Work = std::function<Shot(const Shot& snapshot, Progress& progress, Shot& soFar)>;

    /// Shows what it has reached while it goes on.
    using Reached = std::function<void(const Shot&)>;
    using StagedWork = std::function<Shot(const Shot& snapshot, Progress& progress, Shot& soFar, const Reached&)>;

    explicit Job(QObject* parent = nullptr);
    [[nodiscard]] bool running() const { return background_.running(); }
    [[nodiscard]] const QString& name() const { return name_; }
    [[nodiscard]] Progress::State state() const { return background_.state(); }
    /// `parts`: what of the shot the work may replace.
    void start(const QString& name, Parts parts, const Shot& snapshot, Work work);
    void startStaged(const QString& name, Parts parts, const Shot& snapshot, StagedWork work);
    void cancel() { background_.cancel(); }

  Q_SIGNALS:
    void changed();
    void finished(const va::JobResult& result);
    /// A stage of a staged work, which goes on.
    void reached(const va::JobResult& stage);
    void cancelledWith(const va::JobResult& soFar);
    /// An error ended it; `soFar` is what is worth keeping.
    void failed(const QString& sentence, const va::JobResult& soFar);

  private:
    QString name_;
    Background background_;
};

}  // namespace va
