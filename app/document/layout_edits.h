// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "document/document.h"
#include "workflow/layout_work.h"

namespace va {

/// What the artist does with things and with camera layers; each function that changes the shot is one undoable edit.
/// Most work on the selected thing, and say what is missing where there is none.
class LayoutEdits : public QObject {
    Q_OBJECT
  public:
    explicit LayoutEdits(Document& document) : document_(document) {}
    [[nodiscard]] const Thing* current() const { return document_.shot().thing(document_.selectedThing()); }

    /// Puts a thing there and selects it. Gives its id. A mesh whose size was chosen says so (said()).
    int place(const ThingKind& kind, const LayoutPlace& place);
    /// A mesh that was scaled into view gets back the size that its file gives.
    void takeFileSize();
    void change(const QString& name, const Thing& thing, const QString& merge = {});
    void rename(const QString& name);
    void remove();

    void setStance(Stance stance);
    /// Stand, lie, face, stand …
    void nextStance();
    /// Onto the surface that the plate's pictures show under it.
    void settle();
    void quarterTurn();
    /// Its bottom that far over the surface, world units.
    void bottomToSurface(double above);
    /// 2 mm over it; in a world without a scale as much as that is at ten metres from the camera.
    void hairOff();
    enum class Snap { feature, anchor, planeEdge };
    /// The foot to the nearest one of these.
    void snapTo(Snap target);
    /// X along two selected features.
    void alongTwoFeatures();

    /// Onto what is selected besides: features (one, their middle, their plane), as `surface` says, or another thing;
    /// or onto a given target.
    void rePlaceOnSelection(bool surface, Offsets offsets);
    void rePlace(const Hang& hang, Offsets offsets);
    /// The plane through a point's neighbours instead of the point.
    void neighboursInstead();

    /// What of a place goes to the clipboard.
    enum class PlacePart { all, position, rotation };
    [[nodiscard]] QString placeText(PlacePart part = PlacePart::all) const;
    /// Takes those of position, rotation and scale that the text has a line for.
    void pastePlace(const QString& content);
    void repeatByStep(int count, const Eigen::Vector3d& step);
    void repeatAlongFeatures(int count);
    void repeatAround(int count, double degrees);

    void setKey();
    /// A key of whether it is seen (the other way from here on), or of its colour as it is.
    void setVisibleKey();
    void setColourKey();
    void removeKey();
    void setOutside(const char* key, bool after, Outside outside);
    void setBetween(Between between);
    /// All keys moved by frames, or stretched about the first one.
    void shiftKeys(int frames);
    void stretchKeys(double factor);
    /// All of the thing's keys in a frame, in another one.
    void moveKey(int from, int to);
    void copyKeys();
    void pasteKeys();
    [[nodiscard]] bool hasCopiedKeys() const { return !copiedKeys_.empty(); }

    /// Hangs things on another one, or on the world (0), where they stand.
    void setParent(const QSet<int>& things, int parent);
    void setVisible(int thing, bool on);
    void setLocked(int thing, bool on);
    void group();

    void setLayers(const QString& name, const CameraLayers& layers);

  Q_SIGNALS:
    void said(const QString& sentence);
    /// A thing was put or dragged onto a surface in the frame in hand.
    void putOnSurface(int thing);

  private:
    /// Runs an edit of the selected thing; what it throws is told.
    void edit(const QString& name, const std::function<Thing(const Thing&)>& how);
    void add(const QString& name, const std::vector<Similarity>& places);
    [[nodiscard]] bool mayChange(const Thing& thing);
    [[nodiscard]] std::vector<int> selectedFeatures() const;
    Document& document_;
    ThingKeys copiedKeys_;
    Similarity copiedFrom_;
};

}  // namespace va
