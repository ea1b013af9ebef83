// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <string>

namespace va {

/// How a solve compares with a known true camera. Stick is −1, shape and path 0 where the solve has no depth.
/// Definitions: docs/methods.md, "Judging against truth".
struct Judgement {
    int frames = 0, solved = 0;
    double stickPx = 0;       ///< things anchored at true points: RMS slide over points and frames
    double shapePx = 0;       ///< true points through both cameras after the best similarity: RMS
    double rotationDeg = 0;   ///< RMS after aligning orientations
    double pathPercent = 0;   ///< RMS of positions after aligning them, in % of the path's length
    double focalPercent = 0;  ///< mean absolute error
    double lensPx =
        0;  ///< RMS over the frame, in px, between the directions that the solved and the true camera give a pixel
    double levelDeg = 0;  ///< angle between the solved world's Y and the true upright, both as the cameras see them
    double levelSigmaDeg = -1;  ///< what the file expects of it; negative = nothing
    double rmsPx = 0, checkPx = 0;
    [[nodiscard]] std::string line() const;
};

/// How a solved mover compares with the true one, seen from the camera: after the turn and the position of its axes,
/// which are free, and its size against the scene.
struct MoverJudgement {
    int frames = 0;           ///< compared
    double rotationDeg = 0;   ///< root mean square
    double placePercent = 0;  ///< root mean square, of its distance from the camera
    double slipPx = -1;       ///< RMS slide of things that hang on it where its own points are; −1 without points
    double size = 0;  ///< of the solved one over the true one, as far as the scene's scale is known: informative
};

/// Judges the first mover of a camera.json by the first of a truth file. Throws va::InputError when there is none.
MoverJudgement judgeMover(const std::string& cameraJson, const std::string& truthJson);

/// How reference stills compare with true ones: over true points that stills see, in the stills and in the frames of
/// the shot.
struct StillsJudgement {
    int stills = 0;                                       ///< compared
    double stickPx = -1;                                  ///< as in Judgement, over frames and stills
    double shapePx = -1;                                  ///< as in Judgement
    double worstFocalPercent = 0, worstPlacePercent = 0;  ///< place: of its distance from the shot's camera
};

/// Judges a camera.json with reference stills, whose names end in the frame numbers of the stills' truth (below 1000).
StillsJudgement judgeStills(const std::string& cameraJson, const std::string& truthJson,
                            const std::string& stillsTruthJson);

/// Judges the text of a camera.json by the text of a truth file. Throws va::InputError for wrong files. Needs three
/// solved frames.
Judgement judge(const std::string& cameraJson, const std::string& truthJson);

}  // namespace va
