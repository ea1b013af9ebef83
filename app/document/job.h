// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QObject>
#include <functional>
#include <memory>
#include <thread>

#include "base/progress.h"
#include "shot/shot.h"

namespace va {

/// One long computation at a time on a thread of its own. It works on a snapshot; what comes of it is handed over on
/// the window's thread.
class Job : public QObject {
    Q_OBJECT
  public:
    /// Gets the snapshot, gives the next shot. `soFar` takes what is worth keeping when it is cancelled or fails.
    using Work = std::function<Shot(const Shot& snapshot, Progress& progress, Shot& soFar)>;

    explicit Job(QObject* parent = nullptr);
    ~Job() override;
    [[nodiscard]] bool running() const { return running_; }
    [[nodiscard]] const QString& name() const { return name_; }
    [[nodiscard]] Progress::State state() const { return state_; }
    void start(const QString& name, const Shot& snapshot, Work work);
    void cancel();

  Q_SIGNALS:
    void changed();
    void finished(const va::Shot& result);
    void cancelledWith(const va::Shot& soFar);
    /// An error ended it; `soFar` is what is worth keeping.
    void failed(const QString& sentence, const va::Shot& soFar);

  private:
    void join();
    std::thread thread_;
    std::shared_ptr<Progress> progress_;
    Progress::State state_;
    QString name_;
    bool running_ = false;
};

}  // namespace va
