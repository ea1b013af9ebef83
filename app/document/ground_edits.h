// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "document/document.h"

namespace va {

/// What the artist decides about the world, and the candidate that is looked at: each function that changes the shot is
/// one undoable edit.
class GroundEdits : public QObject {
    Q_OBJECT
  public:
    explicit GroundEdits(Document& document);

    // ---- candidates: planes of the cloud
    /// The candidate that the views show; null where none is.
    [[nodiscard]] const Candidate* candidate() const;
    /// Its place among all, from 0; −1 = none is shown.
    [[nodiscard]] int candidateIndex() const { return candidate_; }
    [[nodiscard]] int candidateCount() const;
    /// Shows the next one, or the one before; after the last none.
    void stepCandidate(int by);
    void showCandidate(int index);
    enum class TakeAs { ground, wall, plane };
    void takeCandidate(TakeAs as);

    // ---- level
    void levelByPoints(LevelKind kind, const std::vector<int>& paths);
    /// An upright edge, or the horizon, along a stroke in the current frame.
    void levelByLine(LevelKind kind, const Eigen::Vector2d& from, const Eigen::Vector2d& to);
    void levelAutomatically();
    void removeEvidence(size_t index);

    // ---- planes
    void namePlane(const std::vector<int>& paths);
    void removePlane(int id);
    /// A named plane through the features on a patch.
    void planeOfPatch(int patch);

    // ---- scale
    void addLength(const KnownLength& length);
    void changeLength(size_t index, double metres);
    void removeLength(size_t index);

    // ---- origin and axes
    void setOrigin(const QString& name, const WorldOrigin& origin);
    void setFacing(const QString& name, const WorldFacing& facing);
    void quarterTurn();
    /// The origin at a corner of the plane that is shown, or of the last one kept; again: at its next corner.
    void originAtCorner();
    /// Z, or X, along an edge on the ground, by a stroke in the current frame. Throws InputError.
    void faceAlongEdge(const Eigen::Vector2d& from, const Eigen::Vector2d& to, bool alongX);
    /// By hand, on top of the rest: metres or units along the world's axes, and a rotation about its upright in
    /// radians.
    void moveByHand(const Eigen::Vector3d& by, double turn);
    void clearByHand();
    /// The whole transform from the solve's space, as text for the clipboard.
    [[nodiscard]] QString transformText() const;
    /// Makes the world that a text says. Throws InputError.
    void pasteTransform(const QString& content);
    /// The world of another shot of the same place, by features with the same names. Throws InputError.
    void takeWorldFrom(const QString& file);

  Q_SIGNALS:
    void candidateChanged();

  private:
    void change(const QString& name, const std::function<void(GroundSpec&)>& how);
    Document& document_;
    int candidate_ = -1;
    std::shared_ptr<const GroundBasis> of_;  ///< whose candidates are stepped through
};

}  // namespace va
