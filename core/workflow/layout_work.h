// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <optional>
#include <string>
#include <vector>

#include "ground/surface_tile.h"
#include "layout/stance.h"
#include "shot/shot.h"

namespace va {

// What the Layout step does with a shot.

/// A place on something, as it was pointed at.
struct LayoutPlace {
    Hang hang;
    Eigen::Vector3d foot = Eigen::Vector3d::Zero();     ///< world
    Eigen::Vector3d normal = Eigen::Vector3d::UnitY();  ///< of the surface, unit, to the side that is seen
};

/// Finds surfaces in a frame's picture, by the features that the frame shows first. The shot needs a ground basis;
/// `solved` is the frame's camera in the solve's space.
SurfaceFinder surfaceFinder(const Shot& shot, int frame, const FrameCamera& solved);
/// The place that a surface tile shows: on the plane through its points, a named plane, or the ground.
LayoutPlace placeOf(const Shot& shot, const SurfaceTile& tile);
/// What lies under a pixel of a frame: the surface there, else the ground. Nothing where the line of sight meets
/// neither.
std::optional<LayoutPlace> placeAt(const Shot& shot, int frame, const Eigen::Vector2d& pixel);
/// A place in words, for the headless program: feature:12, ground:x,y,z, plane:NAME, frame:1001,x,y. Throws InputError.
LayoutPlace placeFromWords(const Shot& shot, const std::string& words);
/// The middle of some solved features, or the plane that fits them best (three or more, not on a line). Throws
/// InputError saying what is missing.
LayoutPlace middleOf(const Shot& shot, const std::vector<int>& paths);
LayoutPlace surfaceOf(const Shot& shot, const std::vector<int>& paths);

/// How a kind stands where it is put: flat things lie on walls and stand on floors.
Stance stanceFor(const Shot& shot, const ThingKind& kind, const Eigen::Vector3d& normal);
/// The world's upright.
inline Eigen::Vector3d uprightOf(const Shot&) { return Eigen::Vector3d::UnitY(); }

/// A thing of a kind at a place, facing the camera of a frame, not in the shot yet. In a scene without a scale its
/// sizes are such that a metre takes about a tenth of the distance. A mesh arrives as arrivalOf() says; `said` gets its
/// words.
Thing newThing(const Shot& shot, const ThingKind& kind, const LayoutPlace& place, int frame,
               std::string* said = nullptr);
/// The shot with a thing more: it gets an id, and a name of its own ("box 2" where there is a "box").
Shot withThing(const Shot& shot, Thing thing, int* id = nullptr);
/// A name that no thing of the shot has: the name itself, or with a number.
std::string freeName(const Shot& shot, const std::string& name, int butThing = 0);
/// The shot without a thing; what hangs on it hangs where it stands, on what the thing hung on.
Shot withoutThing(const Shot& shot, int id);
/// Renames. Throws InputError: empty, taken.
Shot withName(const Shot& shot, int id, const std::string& name);

/// The thing on another target: with its offset from there kept as it is, or zeroed (it moves to the target itself, its
/// rotation that of a new thing there), or standing where it stands. Throws InputError: a loop, a target that is not
/// there.
enum class Offsets { kept, zeroed, inPlace };
Thing replaced(const Shot& shot, const Thing& thing, const LayoutPlace& place, Offsets offsets, int frame);

/// The thing with its place in the world as given, in the axes of what it hangs on; a key in the frame where it goes by
/// keys.
Thing movedTo(const Shot& shot, const Thing& thing, const Similarity& world, int frame);
/// Turned into a stance on its surface; keeps its foot.
Thing inStance(const Shot& shot, const Thing& thing, Stance stance, int frame);
/// The normal of the surface that a thing stands on: Y of what it hangs on where that is a plane, else the upright.
Eigen::Vector3d normalUnder(const Shot& shot, const Thing& thing, int frame);
/// How far the thing's lowest vertex lies over the surface that it hangs on, or over the origin of what moves it; world
/// units. Nothing for what has no vertices or no place.
std::optional<double> bottomOverSurface(const Shot& shot, const Thing& thing, int frame);
/// Moved along the normal until its lowest vertex lies `above` (world units) over the surface.
Thing bottomOnSurface(const Shot& shot, const Thing& thing, double above, int frame);

/// Sets position, rotation or scale: a key in the frame where that value goes by keys, else the value.
void setPosition(Thing& thing, int frame, const Eigen::Vector3d& position);
void setRotation(Thing& thing, int frame, const Eigen::Quaterniond& rotation);
void setScale(Thing& thing, int frame, double scale);
/// The same of its eye; such a key holds until the next one.
void setVisible(Thing& thing, int frame, bool visible);
/// A key of all that the thing does in a frame: position, rotation and scale.
void setKey(Thing& thing, int frame);
void removeKey(Thing& thing, int frame);
/// Frames with a key of any of its values, in order.
std::vector<int> keyFrames(const Thing& thing);

/// What a thing hangs on, in words: "feature 12", "the plane through 9 features", "the trolley".
std::string hangWordsOf(const Shot& shot, const Hang& hang);

/// A thing's place as text, and back (transform_text.h): in the axes of what it hangs on, in a frame.
std::string placeText(const Thing& thing, int frame);

/// What is wrong with a thing in a shot: its file, its text, a target that is gone, a movie of another rate. Empty when
/// nothing is.
std::string thingTrouble(const Shot& shot, const Thing& thing);

}  // namespace va
