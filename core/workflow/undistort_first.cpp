// SPDX-License-Identifier: GPL-3.0-or-later
#include "workflow/undistort_first.h"

#include <algorithm>

#include "base/error.h"
#include "lens/edge_chain.h"
#include "lens/plumb_line.h"
#include "lens/undistorted_frame.h"
#include "workflow/whole_frames.h"

namespace va {
namespace {

/// Means of square blocks: enough to see how strongly edges distort, and quick.
Luma shrunk(const Luma& in, int times) {
    Luma out(in.width / times, in.height / times);
    for (int y = 0; y < out.height; ++y)
        for (int x = 0; x < out.width; ++x) {
            float sum = 0;
            for (int j = 0; j < times; ++j)
                for (int i = 0; i < times; ++i) sum += in.at(x * times + i, y * times + j);
            out.at(x, y) = sum / float(times * times);
        }
    return out;
}

/// What the edges of one picture say, if they say it clearly.
std::optional<Intrinsics> distortionOfEdges(const Luma& picture, const Intrinsics& start) {
    const int times = std::max(1, picture.width / 600);
    const Luma small = shrunk(picture, times);
    EdgeChainOptions chains;
    chains.most = 40;
    chains.shortest = 0.1;
    std::vector<std::vector<Eigen::Vector2d>> edges;
    for (const EdgeChain& c : findEdgeChains(small, chains)) {
        edges.emplace_back();
        for (const auto& p : c.points) edges.back().push_back(times * p + Eigen::Vector2d::Constant(0.5 * (times - 1)));
    }
    Progress unseen;
    const PlumbLineResult r = lensFromEdges(edges, picture.width, picture.height, start, {}, unseen);
    if (!r.trouble.empty()) return std::nullopt;
    const auto used = std::count_if(r.edges.begin(), r.edges.end(), [](const auto& e) { return e.used; });
    const double distortion = largestDistortionPx(r.lens, picture.width, picture.height);
    if (used < 6 || r.mapSigmaPx > 0.3 * distortion) return std::nullopt;
    return r.lens;
}

}  // namespace

bool distortsStrongly(const Intrinsics& lens, int width, int height) {
    return largestDistortionPx(lens, width, height) > 0.02 * width;
}

bool canBeUndistorted(const Intrinsics& lens, int width, int height) {
    try {
        (void)undistortedFrame(lens, width, height, Overscan::whole);
        return true;
    } catch (const InputError&) {
        return false;
    }
}

std::optional<Intrinsics> lensToTrackBy(const Shot& shot, PlateSource& source) {
    std::optional<Intrinsics> lens;
    const int width = shot.plate.width, height = shot.plate.height;
    if (shot.priors.distortion != Known::unknown) {
        if (!shot.priors.lens.isZero()) lens = shot.givenLens();
        if (lens && !shot.trackUndistorted && !distortsStrongly(*lens, width, height)) return std::nullopt;
    } else {
        const std::vector<int> frames = shot.frames();
        if (frames.empty()) return std::nullopt;
        const int middle = frames[frames.size() / 2], quick = source.quickFrameNear(middle);
        const bool inRange = std::binary_search(frames.begin(), frames.end(), quick);
        lens = distortionOfEdges(WholeFrames(source).read(inRange ? quick : middle), shot.givenLens());
        if (lens && !distortsStrongly(*lens, width, height)) return std::nullopt;
    }
    if (!lens) return std::nullopt;
    // The plate as it is will do, unless the artist asked for the undistorted one: then tracking says why it can't be.
    if (!shot.trackUndistorted && !canBeUndistorted(*lens, width, height)) return std::nullopt;
    return lens;
}

}  // namespace va
