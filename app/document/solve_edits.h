// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "document/document.h"

namespace va {

/// What the artist decides about the solve, and movers: each function is one undoable edit, or a job that ends in one.
class SolveEdits : public QObject {
    Q_OBJECT
  public:
    explicit SolveEdits(Document& document) : document_(document) {}

    void setChoices(const SolveChoices& choices);
    /// The selected features become a thing with a motion of its own, which is solved.
    void makeMover();
    /// Looks for groups that move rigidly apart from the scene.
    void lookForMovers();
    void changeMover(const QString& name, int id, const std::function<void(Mover&)>& change);
    void removeMover(int id);

  private:
    Document& document_;
};

}  // namespace va
