// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QObject>
#include <functional>
#include <memory>
#include <thread>

#include "base/progress.h"

namespace va {

/// The one way in which work goes on behind the window: one piece at a time on a thread of its own, on what it was
/// given when it began. What comes of it is told on the window's thread, and only while this object lives: its end
/// cancels the work and waits for it.
class Background : public QObject {
    Q_OBJECT
  public:
    explicit Background(QObject* parent = nullptr);
    ~Background() override;
    Background(const Background&) = delete;
    Background& operator=(const Background&) = delete;

    enum class End { done, cancelled, failed };
    /// Runs `work`, which may throw Cancelled or an error with a sentence for the artist; `ended` gets what became of
    /// it, running() being false by then. Nothing happens while another piece runs.
    void start(std::function<void(Progress&)> work, std::function<void(End, const QString& sentence)> ended);
    /// Asks what runs to stop; it ends as cancelled at its next check.
    void cancel();
    [[nodiscard]] bool running() const { return running_; }
    [[nodiscard]] Progress::State state() const { return state_; }

  Q_SIGNALS:
    void progressed();

  private:
    void join();
    std::thread thread_;
    std::shared_ptr<Progress> progress_;
    Progress::State state_;
    bool running_ = false;
};

}  // namespace va
