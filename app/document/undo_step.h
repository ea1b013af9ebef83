// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QElapsedTimer>
#include <QUndoCommand>
#include <functional>

#include "shot/shot.h"

namespace va {

/// One edit: the shot before and after. Both share all that the edit left alone.
class UndoStep : public QUndoCommand {
  public:
    using Show = std::function<void(const Shot&)>;
    /// Steps with the same `merge` word that follow each other within a second and a half become one; empty: never.
    UndoStep(const QString& name, Shot before, Shot after, Show show, QString merge = {});
    void undo() override;
    void redo() override;
    [[nodiscard]] int id() const override { return merge_.isEmpty() ? -1 : 1; }
    bool mergeWith(const QUndoCommand* next) override;
    /// Takes another shot as what came of the edit.
    void amend(const Shot& after) const { after_ = after; }
    /// Bytes that this step holds and that `after` of the step before does not.
    [[nodiscard]] size_t ownBytes() const;
    /// Gives the shots back to save memory: the step can't be undone any more.
    void drop() const;
    [[nodiscard]] bool dropped() const { return dropped_; }

  private:
    // The stack gives its commands out as constant.
    mutable Shot before_, after_;
    mutable bool dropped_ = false;
    Show show_;
    QString merge_;
    QElapsedTimer made_;
};

/// Estimate of the bytes that `b` holds and does not share with `a`: paths, solve and cloud.
[[nodiscard]] size_t bytesNotShared(const Shot& a, const Shot& b);

}  // namespace va
