// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "document/document.h"

namespace va {

/// Reference stills: which there are, and their marks. Each function is one undoable edit, or a job that ends in one.
class StillEdits : public QObject {
    Q_OBJECT
  public:
    explicit StillEdits(Document& document) : document_(document) {}

    /// The still that the inspector and the still view show; 0 = none.
    [[nodiscard]] int shown() const { return document_.shot().still(shown_) ? shown_ : 0; }
    void show(int id);

    /// Adds photos and shows the first of them.
    void addFiles(const QStringList& files);
    void remove(int id);
    void setOn(int id, bool on);
    /// Focal length in px, given by the artist; 0 = not known.
    void setFocal(int id, double px);
    /// Marks the selected feature in a still, to `sigma` px. A position that is moved becomes the artist's.
    void mark(int id, const Eigen::Vector2d& pixel, double sigma);
    void moveMark(int id, int path, const Eigen::Vector2d& pixel, double sigma);
    void removeMark(int id, int path);
    /// Finds what shot and stills have in common, and solves with it.
    void findMatches();

  Q_SIGNALS:
    void changed();

  private:
    void change(const QString& name, int id, const std::function<void(ReferenceStill&)>& how);
    Document& document_;
    int shown_ = 0;
};

}  // namespace va
