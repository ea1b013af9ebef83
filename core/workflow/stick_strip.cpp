// SPDX-License-Identifier: GPL-3.0-or-later
#include "workflow/stick_strip.h"

#include <algorithm>
#include <cmath>

#include "base/error.h"
#include "base/text.h"
#include "track/patch.h"
#include "track/pyramid.h"
#include "workflow/layout_work.h"
#include "workflow/place_things.h"

namespace va {
namespace {

constexpr int patchRadius = 12;
constexpr double sameEnough = 0.7;  ///< correlation from which on it is the same piece of surface

/// How the surface around the spot lies in a frame's picture: px = at + onPicture · (along, across) in world units.
struct Seen {
    int frame = 0;
    Eigen::Vector2d at = Eigen::Vector2d::Zero();
    Eigen::Matrix2d onPicture = Eigen::Matrix2d::Zero();
    Eigen::Vector3d place, along, across;
};

std::optional<Seen> seenIn(const Shot& shot, const StickSpot& spot, int frame) {
    const auto camera = shot.cameraAt(frame);
    const auto place = camera ? spot.place(frame) : std::nullopt;
    if (!place) return std::nullopt;
    Seen out;
    out.frame = frame;
    out.place = *place;
    const Eigen::Vector3d normal = spot.normal(frame);
    out.along = normal.unitOrthogonal();
    out.across = normal.cross(out.along);
    const auto at = camera->project(*place);
    const double step = 8 * camera->footprint(*place);
    const auto a = camera->project(*place + step * out.along), b = camera->project(*place + step * out.across);
    if (!at || !a || !b || !(step > 0)) return std::nullopt;
    out.at = *at;
    out.onPicture.col(0) = (*a - *at) / step;
    out.onPicture.col(1) = (*b - *at) / step;
    // A surface that is seen from its edge shows nothing.
    const double size = out.onPicture.norm();
    if (!(std::fabs(out.onPicture.determinant()) > 0.01 * size * size)) return std::nullopt;
    const double margin = patchRadius + 2;
    if (at->x() < margin || at->y() < margin || at->x() > shot.plate.width - 1 - margin ||
        at->y() > shot.plate.height - 1 - margin)
        return std::nullopt;
    return out;
}

/// Catmull & Rom's cubic, at an exact position; the border goes on outside.
float sampled(const Luma& p, double x, double y) {
    const int x0 = int(std::floor(x)), y0 = int(std::floor(y));
    const auto weights = [](double t, double(&w)[4]) {
        w[0] = t * (-0.5 + t * (1 - 0.5 * t)), w[1] = 1 + t * t * (-2.5 + 1.5 * t);
        w[2] = t * (0.5 + t * (2 - 1.5 * t)), w[3] = t * t * (-0.5 + 0.5 * t);
    };
    double wx[4], wy[4], sum = 0;
    weights(x - x0, wx), weights(y - y0, wy);
    for (int j = 0; j < 4; ++j)
        for (int i = 0; i < 4; ++i)
            sum += wx[i] * wy[j] *
                   double(p.at(std::clamp(x0 + i - 1, 0, p.width - 1), std::clamp(y0 + j - 1, 0, p.height - 1)));
    return float(std::clamp(sum, 0.0, 255.0));
}

}  // namespace

StickStrip stickStrip(const Shot& shot, const StickSpot& spot, const std::vector<int>& frames,
                      const std::function<Luma(int)>& read, Progress& progress) {
    StickStrip out;
    std::vector<Seen> seen;
    for (const int f : frames)
        if (const auto s = seenIn(shot, spot, f)) seen.push_back(*s);
    if (seen.size() < 2) {
        out.sentence = text("The place is seen in %zu frames of the range: two are needed to judge whether it sticks.",
                            seen.size());
        return out;
    }
    const auto largest = std::max_element(seen.begin(), seen.end(), [](const Seen& a, const Seen& b) {
        return std::fabs(a.onPicture.determinant()) < std::fabs(b.onPicture.determinant());
    });
    const Seen ref = *largest;
    out.reference = ref.frame;
    const int n = int(seen.size()), high = 2 * StickStrip::halfHeight + 1, wide = StickStrip::columnWidth;
    out.upright = Luma(n * wide, high);
    out.level = Luma(n * wide, high);
    out.off.resize(size_t(n));
    // The reference patch lies around a whole pixel, whose own place on the surface is what is held.
    const Pyramid refPicture(read(ref.frame), 3);
    const int px = int(std::lround(ref.at.x())), py = int(std::lround(ref.at.y()));
    const ReferencePatch patch(refPicture.level(0), px, py, patchRadius);
    const Eigen::Matrix2d fromRef = ref.onPicture.inverse();
    const Eigen::Vector2d inPlane = fromRef * (Eigen::Vector2d(px, py) - ref.at);
    std::vector<Eigen::Vector2d> found;
    progress.stage(text("Cutting the stick strip"), n, 1);
    for (int i = 0; i < n; ++i, progress.advance()) {
        progress.check();
        const Seen& s = seen[size_t(i)];
        out.frames.push_back(s.frame);
        Luma picture = read(s.frame);
        const Eigen::Matrix2d toHere = s.onPicture * fromRef;
        for (int y = 0; y < high; ++y)
            for (int x = 0; x < wide; ++x) {
                const double along = y - StickStrip::halfHeight, beside = x - (wide - 1) / 2.0;
                const Eigen::Vector2d u = s.at + toHere * Eigen::Vector2d(beside, along),
                                      l = s.at + toHere * Eigen::Vector2d(along, beside);
                out.upright.at(i * wide + x, y) = sampled(picture, u.x(), u.y());
                out.level.at(i * wide + x, y) = sampled(picture, l.x(), l.y());
            }
        if (!patch.usable()) continue;
        // In the mover's or the world's own axes the patch's middle lies beside the foot.
        const Eigen::Vector2d expected = s.at + s.onPicture * inPlane;
        const Pyramid here(std::move(picture), 3);
        ReferencePatch::Options options;
        options.model = MotionModel::translation;
        options.stop = 0.01;
        options.iterations = 30;
        const auto r = patch.registerIn(here, {toHere, expected}, options);
        if (!r || r->correlation < sameEnough) continue;
        out.off[size_t(i)] = r->placement.at - expected;
        found.push_back(*out.off[size_t(i)]);
    }
    out.measured = int(found.size());
    if (!patch.usable()) {
        out.sentence = text(
            "The surface has no texture here: the strip shows it, and nothing can be measured. Judge a "
            "place beside it.");
        return out;
    }
    if (found.size() < 2) {
        out.sentence = text(
            "The surface was found again in %zu of %d frames: nothing can be measured. It may be hidden, "
            "or the thing stands elsewhere than it seems.",
            found.size(), n);
        return out;
    }
    Eigen::Vector2d mean = Eigen::Vector2d::Zero();
    for (const Eigen::Vector2d& f : found) mean += f / double(found.size());
    double square = 0, most = 0;
    int worst = out.frames.front();
    for (size_t i = 0; i < out.off.size(); ++i) {
        if (!out.off[i]) continue;
        const double far = (*out.off[i] - mean).norm();
        square += far * far / double(found.size());
        if (far > most) most = far, worst = out.frames[i];
    }
    out.wobblePx = std::sqrt(square);
    out.sentence = text("Measured wobble %.2f px over %d of %d frames, most at %d: %.2f px.", out.wobblePx,
                        out.measured, n, worst, most);
    return out;
}

StickSpot footOf(const Shot& shot, int thing) {
    const auto keep = std::make_shared<const Shot>(shot);
    return {[keep, thing](int frame) -> std::optional<Eigen::Vector3d> {
                const Thing* t = keep->thing(thing);
                const auto at = t ? PlacedThings(*keep, frame).of(*t) : std::nullopt;
                return at ? std::optional(at->translation) : std::nullopt;
            },
            [keep, thing](int frame) -> Eigen::Vector3d {
                const Thing* t = keep->thing(thing);
                return t ? normalUnder(*keep, *t, frame) : Eigen::Vector3d::UnitY();
            }};
}

}  // namespace va
