// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <string>

#include "media/camera_base.h"
#include "shot/shot.h"

namespace va {

// What the Lens step does with a shot: each function gives the next shot, and a sentence for the artist where one is
// asked for. The window and the shell program call the same.

/// Looks for edges in a frame that could be straight in the world and adds those that one lens makes straight as
/// proposals; proposals of that frame that were there before go, accepted and drawn ones stay. Throws InputError
/// (no picture) and Cancelled.
Shot withEdgesFound(const Shot& shot, int frame, Progress& progress, std::string* sentence = nullptr);

/// Adds the edge along a stroke as an accepted one. Throws InputError where there is none to track.
Shot withEdgeAlong(const Shot& shot, int frame, const Eigen::Vector2d& from, const Eigen::Vector2d& to);

/// The distortion that makes the accepted edges straight (all proposals, where none is accepted) becomes the start
/// value of the distortion, for the focal length as given or assumed. Accepted edges are trusted, proposals sorted.
/// Throws InputError with the trouble.
Shot withLensFromEdges(const Shot& shot, Progress& progress, std::string* sentence = nullptr);

/// Finds the chart in all stills of the shot and calibrates with the model that is chosen; the result is shot.chart,
/// with its trouble where there is none. Throws InputError (stills of mixed size, unreadable) and Cancelled.
Shot withChart(const Shot& shot, Progress& progress);

/// What the chart told becomes the known lens. Throws InputError where there is nothing, or where the chart was of
/// another shape than the plate.
Shot withChartLens(const Shot& shot);

/// The lens of a file (lens file or camera.json) becomes the known lens. For a file of several focal lengths the
/// shot's own says between which; it must be known then. Throws InputError.
Shot withLensFile(const Shot& shot, const std::string& path);

/// Another lens model that distorts as nearly the same as it can, where a distortion was given; the sentence says the
/// largest difference in px.
Shot withLensModel(const Shot& shot, LensKind kind, std::string* sentence = nullptr);

/// What metadata and the camera data base tell of the camera back.
struct BackFacts {
    std::optional<double> sensorWidthMm;  ///< the most direct source that there is
    std::string source;                   ///< where that comes from, for people
    std::optional<double> focalMm;
    std::string camera;                ///< "Maker Model"
    std::vector<std::string> trouble;  ///< contradictions, sentences
};

/// Compares focal length, 35 mm equivalent, focal plane resolution and the data base's crop factor. Widths hold for the
/// plate as a whole: its own shape is taken for the sensor's. Values that are absurd are named and not used.
BackFacts backFactsOf(const PlateInfo& plate, const CameraBase& base);

/// Takes what the facts tell: sensor width as known, focal length as a start value (cameras round it).
Shot withBackFacts(const Shot& shot, const BackFacts& facts);

/// The lens of the data base at the shot's focal length as the known distortion. Throws InputError where the data base
/// does not hold it at that focal length.
Shot withLensProfile(const Shot& shot, const LensProfile& profile, std::string* sentence = nullptr);

/// The plate as a cut-out of a larger picture (sizes in px of the plate): sensor width and principal point track. The
/// sensor width given before is taken for that of the whole picture, unless the plate was a cut-out already. Throws
/// InputError where the plate does not lie inside.
Shot withCut(const Shot& shot, const CameraPriors::Cut& cut);

}  // namespace va
