// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <filesystem>
#include <string>
#include <vector>

#include "base/progress.h"
#include "shot/shot.h"

namespace va {

/// What of a proof is written beside the picture: words of the table in proof_run.cpp.
std::vector<std::string> proofPassWords();

/// How a proof is written.
struct ProofOutput {
    std::filesystem::path to;    ///< a movie (see MovieWriter), or a folder for stills
    std::string ending = "png";  ///< of stills: png or exr
    int bits = 16;               ///< of PNG: 8 or 16; of EXR: 16 (half) or 32
    FrameRange range;            ///< frames of the plate
    int samples = 0;             ///< a pixel; 0 = as the shot says
    bool insertOnly = false;     ///< EXR or PNG with alpha, without the plate
    double overscan = 0;         ///< share of the plate's size that is added on each side; stills without plate only
    std::string colour;  ///< of EXR: the word of a LightSpace; empty = the plate's own values, of the insert Rec. 709
    std::vector<std::string> passes;  ///< in the EXR, besides the picture
};

/// What was written.
struct ProofReport {
    int frames = 0, found = 0;  ///< rendered now; already there from a run before
    std::vector<int> left;      ///< without a camera or a picture: the plate itself, or nothing where it has none
    std::string sentence;
};

/// Renders a range. Each still appears whole or not at all; a run that was broken off goes on where it stopped, as long
/// as nothing that it depends on has changed. A movie is put together from such stills at the end: its frames are those
/// of the range, one for one, at the plate's rate. Throws InputError (a shot that can't be proofed, choices that don't
/// go together, a full disk) and Cancelled.
ProofReport renderProof(const Shot& shot, const ProofOutput& output, Progress& progress);

}  // namespace va
