// SPDX-License-Identifier: GPL-3.0-or-later
#include "workflow/match_shot.h"

#include <cmath>
#include <filesystem>
#include <mutex>

#include "base/error.h"
#include "lens/film_back.h"

namespace va {
namespace {

/// White of a matte keeps features out. Mattes are read in step with the plate, by position in the range when their
/// numbers differ.
class MatteReader {
  public:
    MatteReader(const std::string& spec, const PlateInfo& plate) : source_(openPlate(spec)), plate_(plate) {
        const PlateInfo& m = source_->info();
        if (m.width != plate.width || m.height != plate.height) {
            throw InputError("The mask \"" + spec + "\" is " + std::to_string(m.width) + " × " +
                             std::to_string(m.height) + ", the plate " + std::to_string(plate.width) + " × " +
                             std::to_string(plate.height) + ". Render the mask at the plate's size.");
        }
    }
    [[nodiscard]] bool keepsOut(int frame, double x, double y) {
        const std::scoped_lock lock(mutex_);
        if (frame != held_) {
            const PlateInfo& m = source_->info();
            const int number = m.still           ? m.frames.first
                               : m.exists(frame) ? frame
                                                 : frame - plate_.frames.first + m.frames.first;
            // A frame without its matte would be followed as if nothing were masked: better to stop and say so.
            if (!m.exists(number))
                throw InputError("The mask \"" + m.spec + "\" has no picture for frame " + std::to_string(frame) +
                                 ". Render it for the whole range, or shorten the range.");
            matte_ = source_->luma(number);
            held_ = frame;
        }
        const int px = std::clamp(int(std::lround(x)), 0, matte_.width - 1),
                  py = std::clamp(int(std::lround(y)), 0, matte_.height - 1);
        return matte_.at(px, py) > 127;
    }

  private:
    std::unique_ptr<PlateSource> source_;
    const PlateInfo& plate_;
    std::mutex mutex_;
    int held_ = -1 << 30;
    Luma matte_;
};

}  // namespace

Shot withPlate(const Shot& shot, const std::string& spec, const PlateOverrides& overrides) {
    Shot out = shot;
    const auto source = openPlate(spec);
    out.plateSpec = source->info().spec;
    out.plate = source->info();
    out.overrides = overrides;
    if (out.range.empty() || out.range.first > out.plate.frames.last || out.range.last < out.plate.frames.first)
        out.range = out.plate.frames;
    if (out.name.empty()) {
        std::string name = std::filesystem::path(out.plateSpec).stem().string();
        const size_t pattern = name.find_first_of("%#");
        if (pattern != std::string::npos) name = name.substr(0, pattern);
        while (!name.empty() && (name.back() == '.' || name.back() == '_' || name.back() == '-')) name.pop_back();
        out.name = name.empty() ? "shot" : name;
    }
    return out;
}

Shot withPaths(const Shot& shot, Progress& progress, const FollowOptions& options, Shot* soFar) {
    if (shot.range.empty())
        throw InputError("The work range is empty. Set its in and out points so that it holds frames.");
    const std::vector<int> frames = shot.frames();
    if (frames.empty())
        throw InputError("The work range " + std::to_string(shot.range.first) + "–" + std::to_string(shot.range.last) +
                         " holds no picture of the plate, which has " + std::to_string(shot.plate.frames.first) + "–" +
                         std::to_string(shot.plate.frames.last) + ".");
    progress.stage("Following features", int(frames.size()), 0.55);
    const auto source = openPlate(shot.plateSpec, shot.overrides);
    std::unique_ptr<MatteReader> matte;
    std::function<bool(int, double, double)> allowed;
    if (!shot.maskSpec.empty()) {
        matte = std::make_unique<MatteReader>(shot.maskSpec, shot.plate);
        allowed = [&](int frame, double x, double y) { return !matte->keepsOut(frame, x, y); };
    }
    Shot out = shot;
    out.pathsFrom = fingerprintOfFollowInput(shot);
    std::vector<Path> partial;
    try {
        FollowRequest request;
        request.frames = frames;
        request.read = [&](int f) { return source->luma(f); };
        request.options = options;
        request.allowed = allowed;
        request.soFar = &partial;
        out.paths = std::make_shared<std::vector<Path>>(followFeatures(std::move(request), progress));
    } catch (const Cancelled&) {
        if (soFar) {
            *soFar = out;
            soFar->paths = std::make_shared<std::vector<Path>>(std::move(partial));
            soFar->pathsFrom = out.pathsFrom + 1;  // shown as stale: it is only a part
        }
        throw;
    }
    return out;
}

Shot withSolve(const Shot& shot, Progress& progress) {
    SolveRequest request;
    request.frames = shot.frames();
    request.width = shot.plate.width;
    request.height = shot.plate.height;
    request.pixelAspect = shot.pixelAspect();
    request.focal = shot.back.focal;
    if (shot.back.focal != Known::unknown)
        request.focalPx =
            focalPxFromMm(shot.back.focalMm, shot.back.sensorWidthMm, shot.plate.width, shot.pixelAspect());
    request.distortion = shot.back.distortion;
    request.lens = shot.back.lens;
    request.seed = shot.seed;
    Shot out = shot;
    out.solve = std::make_shared<SolveResult>(solveShot(*shot.paths, request, progress));
    out.solveFrom = fingerprintOfSolveInput(shot);
    return withGround(out, shot.groundSpec);
}

Shot withGround(const Shot& shot, const GroundSpec& spec) {
    Shot out = shot;
    out.groundSpec = spec;
    out.ground = std::make_shared<GroundFit>(buildGround(*out.solve, spec));
    return out;
}

Shot matchShot(const Shot& shot, Progress& progress, Shot* soFar) {
    const Shot followed = withPaths(shot, progress, {}, soFar);
    if (soFar) *soFar = followed;
    return withSolve(followed, progress);
}

}  // namespace va
