// SPDX-License-Identifier: GPL-3.0-or-later
#include "workflow/stick_strip.h"

#include <Eigen/Eigenvalues>

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
constexpr double mostJump = 2.5;    ///< px that a slide changes by from frame to frame
constexpr int fewestFrames = 5;     ///< frames that say where a surface is

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

/// What of a frame lies around the spot.
struct Window {
    Luma luma;
    Eigen::Vector2d corner;  ///< px of the frame that its pixel (0, 0) is
};

Window cutAround(const Luma& picture, const Eigen::Vector2d& at) {
    constexpr int half = 96;
    const int x0 = std::clamp(int(std::lround(at.x())) - half, 0, std::max(0, picture.width - 1)),
              y0 = std::clamp(int(std::lround(at.y())) - half, 0, std::max(0, picture.height - 1));
    const int x1 = std::clamp(int(std::lround(at.x())) + half, x0, picture.width - 1),
              y1 = std::clamp(int(std::lround(at.y())) + half, y0, picture.height - 1);
    Window out{Luma(x1 - x0 + 1, y1 - y0 + 1), Eigen::Vector2d(x0, y0)};
    for (int y = y0; y <= y1; ++y) std::copy(picture.row(y) + x0, picture.row(y) + x1 + 1, out.luma.row(y - y0));
    return out;
}

/// A spot in the frames that see it, with what lies around it there.
struct Cut {
    std::vector<Seen> seen;
    std::vector<Window> windows;
    size_t reference = 0;  ///< what the others are compared with
};

Cut cutOut(const Shot& shot, const StickSpot& spot, const std::vector<int>& frames,
           const std::function<Luma(int)>& read, std::optional<int> reference, Progress& progress) {
    Cut out;
    for (const int f : frames)
        if (const auto s = seenIn(shot, spot, f)) out.seen.push_back(*s);
    if (out.seen.size() < 2) return out;
    progress.stage(text("Cutting the stick strip"), int(out.seen.size()), 0.8);
    for (const Seen& s : out.seen) {
        progress.check();
        out.windows.push_back(cutAround(read(s.frame), s.at));
        progress.advance();
    }
    const auto largest = std::max_element(out.seen.begin(), out.seen.end(), [](const Seen& a, const Seen& b) {
        return std::fabs(a.onPicture.determinant()) < std::fabs(b.onPicture.determinant());
    });
    out.reference = size_t(largest - out.seen.begin());
    for (size_t i = 0; i < out.seen.size(); ++i)
        if (reference && out.seen[i].frame == *reference) out.reference = i;
    return out;
}

struct Measured {
    bool usable = false;
    Eigen::Vector2d middle = Eigen::Vector2d::Zero();  ///< of the patch beside the spot, in its plane
    std::vector<std::optional<Eigen::Vector2d>> off;
    [[nodiscard]] int count() const {
        return int(std::count_if(off.begin(), off.end(), [](const auto& o) { return o.has_value(); }));
    }
};

/// Registers the reference's patch in every other frame, outward from it: what slides is off by a little more from
/// frame to frame.
Measured measure(const Cut& cut, Progress& progress) {
    Measured out;
    out.off.resize(cut.seen.size());
    const Seen& ref = cut.seen[cut.reference];
    const Window& window = cut.windows[cut.reference];
    const Eigen::Matrix2d fromRef = ref.onPicture.inverse();
    // The patch lies around a whole pixel, whose own place on the surface is what is held.
    const Eigen::Vector2d at = ref.at - window.corner;
    const Eigen::Vector2d whole(std::round(at.x()), std::round(at.y()));
    const Pyramid picture(window.luma, 2);
    const ReferencePatch patch(picture.level(0), int(whole.x()), int(whole.y()), patchRadius);
    out.usable = patch.usable();
    out.middle = fromRef * (whole - at);
    if (!out.usable) return out;
    ReferencePatch::Options options;
    options.model = MotionModel::translation;
    options.stop = 0.01;
    options.iterations = 30;
    const auto follow = [&](long from, long step) {
        Eigen::Vector2d off = Eigen::Vector2d::Zero();
        int missed = 0;
        for (long i = from; i >= 0 && i < long(cut.seen.size()); i += step) {
            progress.check();
            const Seen& s = cut.seen[size_t(i)];
            const Window& w = cut.windows[size_t(i)];
            const Eigen::Vector2d expected = s.at + s.onPicture * out.middle;
            const Pyramid here(w.luma, 2);
            const auto r = patch.registerIn(here, {s.onPicture * fromRef, expected + off - w.corner}, options);
            ++missed;
            if (!r || r->correlation < sameEnough) continue;
            const Eigen::Vector2d now = r->placement.at + w.corner - expected;
            // A slide is smooth: what jumps is something else that looks alike.
            if ((now - off).norm() > mostJump * missed) continue;
            off = now;
            missed = 0;
            out.off[size_t(i)] = off;
        }
    };
    follow(long(cut.reference), -1);
    follow(long(cut.reference) + 1, 1);
    return out;
}

/// Where the surface under the spot is, by the rays on which its patch was found.
std::optional<Eigen::Vector3d> surfaceUnder(const Shot& shot, const StickSpot& spot, const Cut& cut,
                                            const Measured& measured) {
    const auto middleIn = [&](const Seen& s) -> Eigen::Vector3d {
        return s.place + measured.middle.x() * s.along + measured.middle.y() * s.across;
    };
    const Seen& ref = cut.seen[cut.reference];
    const Eigen::Vector3d start = middleIn(ref);
    Eigen::Matrix3d normal = Eigen::Matrix3d::Zero();
    Eigen::Vector3d right = Eigen::Vector3d::Zero();
    for (size_t i = 0; i < cut.seen.size(); ++i) {
        if (!measured.off[i]) continue;
        const Seen& s = cut.seen[i];
        const auto camera = shot.cameraAt(s.frame);
        const auto ray = camera ? camera->ray(s.at + s.onPicture * measured.middle + *measured.off[i]) : std::nullopt;
        const double unit = camera ? camera->footprint(middleIn(s)) : 0;
        if (!ray || !(unit > 0)) continue;
        const Eigen::Matrix3d across =
            (Eigen::Matrix3d::Identity() - ray->direction * ray->direction.transpose()) / (unit * unit);
        normal += across;
        right += across * (ray->origin - start);
    }
    if (measured.count() < fewestFrames) return std::nullopt;
    const Eigen::SelfAdjointEigenSolver<Eigen::Matrix3d> eigen(normal);
    // Rays that all go one way leave the depth open.
    if (!(eigen.eigenvalues()[0] > 1e-4 * eigen.eigenvalues()[2])) return std::nullopt;
    const Eigen::Vector3d point = start + normal.ldlt().solve(right);
    // The surface goes through that point; the spot is where its own line of sight meets it.
    const Eigen::Vector3d up = spot.normal(ref.frame);
    const auto sight = shot.cameraAt(ref.frame)->ray(ref.at);
    const double down = sight ? sight->direction.dot(up) : 0;
    if (std::fabs(down) < 0.02) return std::nullopt;
    const double t = (point - sight->origin).dot(up) / down;
    return t > 0 && std::isfinite(t) ? std::optional(sight->at(t)) : std::nullopt;
}

/// RMS about their mean, and the index of the one that is farthest off; negative where there are none.
std::pair<double, int> spreadOf(const Measured& m) {
    if (m.count() == 0) return {-1, -1};
    Eigen::Vector2d mean = Eigen::Vector2d::Zero();
    for (const auto& off : m.off)
        if (off) mean += *off / m.count();
    double square = 0, most = -1;
    int worst = -1;
    for (size_t i = 0; i < m.off.size(); ++i) {
        if (!m.off[i]) continue;
        const double far = (*m.off[i] - mean).norm();
        square += far * far / m.count();
        if (far > most) most = far, worst = int(i);
    }
    return {std::sqrt(square), worst};
}

}  // namespace

StickStrip stickStrip(const Shot& shot, const StickSpot& spot, const std::vector<int>& frames,
                      const std::function<Luma(int)>& read, std::optional<int> reference, Progress& progress) {
    StickStrip out;
    const Cut cut = cutOut(shot, spot, frames, read, reference, progress);
    if (cut.seen.size() < 2) {
        out.sentence = text("The place is seen in %zu frames of the range: two are needed to judge whether it sticks.",
                            cut.seen.size());
        return out;
    }
    const Seen& ref = cut.seen[cut.reference];
    out.reference = ref.frame;
    const int n = int(cut.seen.size()), high = 2 * StickStrip::halfHeight + 1, wide = StickStrip::columnWidth;
    out.upright = Luma(n * wide, high);
    out.level = Luma(n * wide, high);
    for (int i = 0; i < n; ++i) {
        const Seen& s = cut.seen[size_t(i)];
        const Window& w = cut.windows[size_t(i)];
        out.frames.push_back(s.frame);
        const Eigen::Matrix2d toHere = s.onPicture * ref.onPicture.inverse();
        const Eigen::Vector2d at = s.at - w.corner;
        for (int y = 0; y < high; ++y)
            for (int x = 0; x < wide; ++x) {
                const double along = y - StickStrip::halfHeight, beside = x - (wide - 1) / 2.0;
                const Eigen::Vector2d u = at + toHere * Eigen::Vector2d(beside, along),
                                      l = at + toHere * Eigen::Vector2d(along, beside);
                out.upright.at(i * wide + x, y) = sampled(w.luma, u.x(), u.y());
                out.level.at(i * wide + x, y) = sampled(w.luma, l.x(), l.y());
            }
    }
    progress.stage(text("Measuring the stick strip"), 1, 0.2);
    const Measured measured = measure(cut, progress);
    progress.advance();
    out.off = measured.off;
    out.measured = measured.count();
    if (!measured.usable) {
        out.sentence = text(
            "The surface has no texture here: the strip shows it, and nothing can be measured. Judge a "
            "place beside it.");
        return out;
    }
    if (out.measured < 2) {
        out.sentence = text(
            "The surface was found again in %d of %d frames: nothing can be measured. It may be hidden, "
            "or the thing stands elsewhere than it seems.",
            out.measured, n);
        return out;
    }
    const auto [spread, worst] = spreadOf(measured);
    out.wobblePx = spread;
    out.sentence = text("Measured wobble %.2f px over %d of %d frames, most at %d.", out.wobblePx, out.measured, n,
                        out.frames[size_t(worst)]);
    return out;
}

std::optional<Eigen::Vector3d> settledPlace(const Shot& shot, const StickSpot& spot, const std::vector<int>& frames,
                                            const std::function<Luma(int)>& read, std::optional<int> reference,
                                            Progress& progress) {
    Cut cut = cutOut(shot, spot, frames, read, reference, progress);
    if (int(cut.seen.size()) < fewestFrames) return std::nullopt;
    progress.stage(text("Settling on the surface"), 1, 0.2);
    Measured measured = measure(cut, progress);
    if (!measured.usable) return std::nullopt;
    std::optional<Eigen::Vector3d> best;
    // Nearer to the surface more frames show the same piece of it, and more of them say where it is.
    for (int round = 0; round < 5; ++round) {
        StickSpot now = spot;
        if (best) now.place = [p = *best](int) { return std::optional(p); };
        const auto next = surfaceUnder(shot, now, cut, measured);
        if (!next) break;
        now.place = [p = *next](int) { return std::optional(p); };
        Cut moved = cut;
        for (Seen& s : moved.seen)
            if (const auto there = seenIn(shot, now, s.frame)) s = *there;
        const Measured then = measure(moved, progress);
        // Worse is no settling: fewer frames that agree, or more wobble in as many.
        if (then.count() < fewestFrames ||
            (then.count() <= measured.count() && spreadOf(then).first > spreadOf(measured).first))
            break;
        const bool same = best && (*best - *next).norm() < 1e-6 * next->norm();
        best = next;
        cut = std::move(moved);
        measured = then;
        if (same) break;
    }
    progress.advance();
    return best;
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
