// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QObject>
#include <QTimer>

#include "document/background.h"
#include "document/document.h"

namespace va {

/// Brings the solve up to date in the background after every edit that it depends on, from where it was. What comes of
/// it belongs to the edit: it is no step of undo of its own, and undoing the edit brings the solve of before back.
class LiveSolve : public QObject {
    Q_OBJECT
  public:
    explicit LiveSolve(Document& document);

    [[nodiscard]] bool on() const { return on_; }
    void setOn(bool on);
    /// An update is under way or about to begin.
    [[nodiscard]] bool busy() const { return background_.running() || quiet_.isActive(); }

  Q_SIGNALS:
    void changed();

  private:
    [[nodiscard]] bool wanted() const;
    void refresh();
    void start();
    void worseThanNothing(const Shot& asked, const Shot& made);
    Document& document_;
    QTimer quiet_;
    bool on_ = true;
    uint64_t failedFor_ = 0;  ///< what was asked for when it came out worse than nothing
    Background background_;
};

}  // namespace va
