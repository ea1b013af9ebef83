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
    // ---- refining
    /// Sets aside what fits badly and solves anew from there; the report says what it was worth.
    void refine();

    // ---- rows
    /// `share` of the frame's time.
    void setReadout(Known known, double share);

    // ---- check points
    void addCheckPoint(PointTie::Kind kind);
    void changeCheckPoint(const QString& name, int id, const std::function<void(CheckPoint&)>& change);
    void removeCheckPoint(int id);
    /// Reads known positions from a text file.
    void readCheckPoints(const QString& file);
    /// The selected feature becomes the one that the check point speaks of.
    void assignCheckPoint(int id);

    // ---- the camera's path
    void leaveOutFrame();
    void fillGaps();
    void smoothPath(FrameRange frames, double width);
    void clearPathEdits();

    void changeMover(const QString& name, int id, const std::function<void(Mover&)>& change);
    void removeMover(int id);
    /// The mover becomes the scene, and the scene a mover.
    void swapScene(int id);

  private:
    Document& document_;
};

}  // namespace va
